"""What every request passes before anything of it is worked on, and what every answer gets.

The host it was sent to, the page it comes from, who sends it, how large it is and how long it takes are
looked at before its body is read into memory: whoever may not call costs nothing.
"""

import asyncio
import ipaddress
import socket
from collections.abc import Awaitable, Callable, Collection
from contextlib import nullcontext
from dataclasses import dataclass

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import cookie_parser
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kiteroll.api.admission import COOKIE
from kiteroll.api.problems import problem_of
from kiteroll.api.refusals import BodyTooLarge, BodyTooSlow, ForeignRequest, Refusal
from kiteroll.app.access.sign_in import NotSignedIn, SignIn, TooManyTries
from kiteroll.app.serving.tracker_link import CLIENT_HEADER, EVENT_HEADER, NODE_HEADER, SCHEME_HEADER
from kiteroll.core.access.principal import Principal

SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
"""Methods that change nothing (RFC 9110 9.2.1)."""
_SESSION = "/api/v1/session"
_OPEN = frozenset(
    {
        _SESSION,
        "/api/v1/session/openid",
        "/api/v1/session/openid/callback",
        "/api/v1/openapi.json",
    }
)
"""Calls that open, show or end a session check for themselves, and how to call is no secret."""
MAX_BODY = 1 << 20
"""Octets of a body."""
MAX_IMPORT = 16 << 20
"""The same of the calls that import readings."""
_IMPORTS = frozenset({"/api/v1/readings", "/api/v1/mac-tables"})
MAX_PATH = 8192
CHUNK_S = 10.0
"""Seconds without a further part of a body."""
BODY_S = 60.0
"""Seconds for all of a body."""
_HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Content-Security-Policy": "default-src 'none'; frame-ancestors 'none'",
    "Cache-Control": "no-store",
}
"""Of every answer that does not say otherwise."""


@dataclass(slots=True)
class _Body:
    """Reads a body as it comes, within its bounds."""

    receive: Receive
    most: int
    until: float
    octets: int = 0

    async def __call__(self) -> Message:
        left = self.until - asyncio.get_running_loop().time()
        try:
            async with asyncio.timeout(min(CHUNK_S, left)):
                message = await self.receive()
        except TimeoutError as slow:
            raise BodyTooSlow(
                f"the body did not arrive in time: {CHUNK_S:g} s for each part of it, {BODY_S:g} s in all"
            ) from slow
        self.octets += len(message.get("body", b""))
        if self.octets > self.most:
            raise BodyTooLarge(_too_large(self.most))
        return message


class RequestGate:
    """ASGI middleware; the outermost."""

    def __init__(
        self,
        app: ASGIApp,
        sign_in: SignIn,
        names: Collection[str],
        proves: Callable[[str], bool],
        latest_event: Callable[[], str],
        *,
        passes_on: bool = False,
    ) -> None:
        """`names`: host names this service is called by, beside addresses and the machine's host name.
        `proves`: whether a header shows that another service on this database sends it; that one is answered
        the latest event with its answer. `passes_on`: who is not known here is not refused, for the
        service that calls are passed on to may know them."""
        self._proves = proves
        self._latest_event = latest_event
        self._passes_on = passes_on
        self._app = app
        self._sign_in = sign_in
        own = {"localhost", socket.gethostname()}  # no lookup: a DNS that is away would hold up the start
        self._names = frozenset(name.lower().rstrip(".") for name in (*own, *names))
        self._importing = asyncio.Semaphore(1)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        begun = False
        scope["answer_headers"] = {}  # what is known of the answer before it is made

        async def answer(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                headers = MutableHeaders(scope=message)
                headers.update(scope["answer_headers"])
                if "from_node" in scope:
                    headers[EVENT_HEADER] = self._latest_event()
                for name, value in _HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        try:
            body = self._admit(scope, receive)
            if scope["method"] in SAFE:
                await self._app(scope, receive, answer)
                return
            # Large ones one at a time: each takes many times its size while it is understood.
            async with self._importing if body.most > MAX_BODY else nullcontext():
                await self._app(scope, await _whole(body), answer)
        except (Refusal, NotSignedIn, TooManyTries) as refused:
            if not begun:
                response = problem_of(refused)
                response.headers["Connection"] = "close"  # what follows is not read
                await response(scope, receive, answer)

    def _admit(self, scope: Scope, receive: Receive) -> _Body:
        """Raises what the request is refused for."""
        headers, path = Headers(scope=scope), scope["path"]
        if (proof := headers.get(NODE_HEADER)) is not None:
            self._admit_node(scope, headers, proof)  # which it was sent to by a name of its own
        else:
            self._check_host(headers)
        if len(scope["raw_path"] or b"") + len(scope["query_string"]) > MAX_PATH:
            raise BodyTooLarge(f"the URL is longer than {MAX_PATH} octets")
        if scope["method"] not in SAFE:
            _check_origin(headers)
        cookie = cookie_parser(headers.get("cookie", "")).get(COOKIE)
        closed = (path.startswith("/api/") or path == "/metrics") and path not in _OPEN
        if closed or (self._passes_on and cookie and path == _SESSION):
            client = scope["client"][0] if scope["client"] else ""
            scope["principal"] = self._principal(headers.get("authorization"), cookie, client)
        most = MAX_IMPORT if path in _IMPORTS else MAX_BODY
        length = headers.get("content-length", "0")
        if len(length) > 12 or int(length) > most:
            raise BodyTooLarge(_too_large(most))
        return _Body(receive, most, asyncio.get_running_loop().time() + BODY_S)

    def _admit_node(self, scope: Scope, headers: Headers, proof: str) -> None:
        """What it says of the call it passes on holds. Raises ForeignRequest."""
        if not self._proves(proof):
            raise ForeignRequest("another service with another key: copy secrets.key from this one")
        scope["from_node"] = True
        scope["client"] = (headers.get(CLIENT_HEADER, ""), 0)
        scope["scheme"] = headers.get(SCHEME_HEADER, scope["scheme"])

    def _principal(self, authorization: str | None, cookie: str | None, client: str) -> Principal | None:
        """None: somebody else may know who it is. Raises NotSignedIn or TooManyTries."""
        if self._passes_on:
            return self._sign_in.known(authorization, cookie, client)
        return self._sign_in.check(authorization, cookie, client)

    def _check_host(self, headers: Headers) -> None:
        """Another site's name that leads to our address must not reach us (DNS rebinding)."""
        host = _host_of(headers.get("host", ""))
        if host in self._names:
            return
        try:
            ipaddress.ip_address(host)
        except ValueError:
            raise ForeignRequest(
                f"this service is not called {host[:255]!r}: use its address, or add the name to listen.names"
            ) from None


async def _whole(body: _Body) -> Receive:
    """The body, read; then what the connection has to say."""
    parts = []
    while True:
        message = await body()
        if message["type"] != "http.request":
            break
        parts.append(message.get("body", b""))
        if not message.get("more_body", False):
            break
    first: list[Message] = [{"type": "http.request", "body": b"".join(parts), "more_body": False}]
    if message["type"] != "http.request":
        first = [message]
    following: Callable[[], Awaitable[Message]] = body.receive

    async def receive() -> Message:
        return first.pop() if first else await following()

    return receive


def _check_origin(headers: Headers) -> None:
    """A page of another site may not have a browser change anything here (RFC 6454)."""
    origin = headers.get("origin")
    if origin is None:
        return
    scheme, _, authority = origin.partition("://")
    if scheme not in ("http", "https") or authority.lower() != headers.get("host", "").lower():
        raise ForeignRequest(f"a page of {origin!r} may not call this service")


def _host_of(header: str) -> str:
    """Host without its port (RFC 9110 7.2)."""
    if header.startswith("["):
        return header[1:].partition("]")[0].lower()
    return header.partition(":")[0].lower().rstrip(".")


def _too_large(most: int) -> str:
    return f"the body is larger than {most >> 20} MiB: send less at once"
