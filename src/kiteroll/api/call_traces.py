"""A span of every call, where traces are sent."""

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kiteroll.app.traces import Traces


def operation_of(scope: Scope) -> str:
    """The id of the call that was answered. What is no call of ours has no name: a path may hold anything."""
    return getattr(scope.get("route"), "name", "") or "refused"


class CallTraces:
    """ASGI middleware; around the gate, so that what is refused shows as well."""

    def __init__(self, app: ASGIApp, traces: Traces) -> None:
        self._app = app
        self._traces = traces

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        status = 500

        async def answer(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        with self._traces.call(Headers(scope=scope), scope["method"]) as answered:
            try:
                await self._app(scope, receive, answer)
            finally:
                answered(operation_of(scope), status)
