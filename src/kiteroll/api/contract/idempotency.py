"""POST requests that are sent twice with the same `Idempotency-Key` are carried out once.

The answer of the first is kept for a day and given again. A key belongs to the account that sent it, and to
one request: with another one it is refused. Answers may hold secrets (a new token), so they are sealed.
"""

import asyncio
from dataclasses import dataclass, field

from starlette.datastructures import Headers
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kiteroll.api.problems import problem_of
from kiteroll.app.kept_answers import Answer, Claim, KeptAnswers
from kiteroll.core.errors import Invalid, KiteRollError

_LONGEST_KEY = 200
_MOST_OCTETS = 1 << 20
_FAILED = 400
"""From this status on nothing was changed, and the key may be used again."""
_REPEATED = "idempotent-replay"


@dataclass(slots=True)
class _Watched:
    """The answer as it goes out."""

    status: int = 0
    headers: Headers = field(default_factory=Headers)
    body: bytearray = field(default_factory=bytearray)
    too_large: bool = False

    def add(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self.status, self.headers = message["status"], Headers(raw=message["headers"])
        elif len(self.body) + len(message.get("body", b"")) <= _MOST_OCTETS:
            self.body += message.get("body", b"")
        else:
            self.too_large = True

    def answer(self) -> Answer:
        location, media_type = self.headers.get("location", ""), self.headers.get("content-type", "")
        return Answer(self.status, location, media_type, bytes(self.body))


class IdempotentPosts:
    """ASGI middleware, behind the gate: it is known who sends, and the body has arrived."""

    def __init__(self, app: ASGIApp, kept: KeptAnswers) -> None:
        self._app = app
        self._kept = kept

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        key = Headers(scope=scope).get("idempotency-key") if scope["type"] == "http" else None
        if key is None or scope["method"] != "POST" or "principal" not in scope:
            await self._app(scope, receive, send)
            return
        message = await receive()
        body: bytes = message.get("body", b"")
        query = scope["query_string"].decode("latin-1")
        try:
            begun = await asyncio.to_thread(
                self._kept.begin, scope["principal"].name, _checked(key), scope["path"], query, body
            )
        except KiteRollError as refused:
            await problem_of(refused)(scope, receive, send)
            return
        if isinstance(begun, Answer):
            await _again(begun)(scope, receive, send)
        else:
            await self._first(begun, message, scope, receive, send)

    async def _first(
        self, claim: Claim, message: Message, scope: Scope, receive: Receive, send: Send
    ) -> None:
        waiting, watched = [message], _Watched()

        async def body_first() -> Message:
            return waiting.pop() if waiting else await receive()

        async def watching(message: Message) -> None:
            watched.add(message)
            if message["type"] == "http.response.body" and not message.get("more_body", False):
                # Before its end is sent: whoever got it may rely on it.
                await asyncio.to_thread(self._end, claim, watched)
            await send(message)

        await self._app(scope, body_first, watching)

    def _end(self, claim: Claim, watched: _Watched) -> None:
        if watched.status >= _FAILED:
            self._kept.give_up(claim)
        else:
            self._kept.save(claim, watched.answer(), too_large=watched.too_large)


def _again(answer: Answer) -> Response:
    headers = {_REPEATED: "true", "content-type": answer.media_type}
    if answer.location:
        headers["location"] = answer.location
    return Response(answer.body, answer.status, headers)


def _checked(key: str) -> str:
    if not 0 < len(key) <= _LONGEST_KEY or not key.isascii() or not key.isprintable():
        raise Invalid(
            f"Idempotency-Key: must be 1 to {_LONGEST_KEY} printable ASCII characters, such as a UUID"
        )
    return key
