"""HEAD: every GET without its body (RFC 9110, 9.3.2)."""

from starlette.types import ASGIApp, Message, Receive, Scope, Send

_NEVER_ENDS = "/api/v1/stream"


class HeadRequests:
    """ASGI middleware: the GET is worked on, for its headers must be true, and its body is not sent."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "HEAD" or scope["path"] == _NEVER_ENDS:
            await self._app(scope, receive, send)
            return

        async def without_body(message: Message) -> None:
            if message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        await self._app({**scope, "method": "GET"}, receive, without_body)
