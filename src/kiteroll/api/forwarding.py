"""Passes calls on to the service that tracks: changes, what it alone knows, and callers not known here yet.

A service that only answers has this behind its gate. Through a take-over a call waits for the next one that
tracks. One that was cut off while it was worked on is not sent again: whether it may be, its caller knows.
"""

import logging

import httpx
from starlette.types import ASGIApp, Receive, Scope, Send

from kiteroll.api.problems import problem_of
from kiteroll.api.request_gate import SAFE
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.logs import fields
from kiteroll.app.serving.tracker_link import (
    CLIENT_HEADER,
    EVENT_HEADER,
    SCHEME_HEADER,
    TIMEOUT,
    TrackerLink,
)
from kiteroll.clock import Clock
from kiteroll.core.errors import TrackerAway

log = logging.getLogger(__name__)
_KNOWN_THERE = (
    "/api/v1/areas",
    "/api/v1/collectors",
    "/api/v1/collected-sites",
    "/api/v1/rehearsals",
    "/api/v1/rounds",
    "/api/v1/sweeps",
    "/api/v1/session/openid",
)
"""What the service that tracks keeps in memory, below these paths."""
_PATIENCE_S = 25.0
"""For a take-over: the lease of the database runs out, and the next one starts."""
_AGAIN_S = 0.3
_CAUGHT_UP_S = 2.0
_NOT_PASSED_ON = frozenset(
    {
        *(b"connection", b"keep-alive", b"proxy-authorization", b"te", b"trailer", b"transfer-encoding"),
        *(b"upgrade", b"content-length", b"expect"),
    }
)
"""Of the one connection alone (RFC 9110 7.6.1), or set anew."""
_NOT_PASSED_BACK = frozenset(
    {b"connection", b"keep-alive", b"transfer-encoding", b"date", EVENT_HEADER.encode()}
)


class Forwarding:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp, link: TrackerLink, broadcaster: EventBroadcaster, clock: Clock) -> None:
        self._app = app
        self._link = link
        self._broadcaster = broadcaster
        self._clock = clock

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not _is_passed_on(scope):
            await self._app(scope, receive, send)
            return
        try:
            answer = await self._send_to_tracker(scope, (await receive()).get("body", b""))
        except TrackerAway as away:
            await problem_of(away)(scope, receive, send)
            return
        try:
            # What was changed is known here, too, before whoever changed it hears that it was.
            await self._broadcaster.wait_for(answer.headers.get(EVENT_HEADER, ""), _CAUGHT_UP_S)
            await _pass_back(answer, send)
        except httpx.HTTPError as cut_off:
            # Its end is not sent: the server closes the connection, and nobody takes a part for the whole.
            extra = fields("forwarding.cut_off", path=scope["path"], error=str(cut_off))
            log.warning("an answer that was passed back broke off", extra=extra)
        finally:
            await answer.aclose()

    async def _send_to_tracker(self, scope: Scope, body: bytes) -> httpx.Response:
        """Raises TrackerAway."""
        clock = self._clock
        until = clock.monotonic() + _PATIENCE_S
        while True:
            one = await self._link.find(until - clock.monotonic())
            try:
                return await self._link.http.send(self._request(one.url, scope, body), stream=True)
            except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as away:
                self._link.lost(one)
                if clock.monotonic() + _AGAIN_S >= until:
                    why = f"the service that tracks, {one.url}, does not answer; nothing was changed"
                    raise TrackerAway(why) from away
                await clock.sleep(_AGAIN_S)
            except httpx.HTTPError as cut_off:
                self._link.lost(one)
                raise TrackerAway(
                    f"the connection to the service that tracks, {one.url}, ended while it worked on this: "
                    f"whether it was done is not known ({type(cut_off).__name__})"
                ) from cut_off

    def _request(self, url: str, scope: Scope, body: bytes) -> httpx.Request:
        query = scope["query_string"]
        path = scope["raw_path"] + (b"?" + query if query else b"")
        headers = [
            (name, value)
            for name, value in scope["headers"]
            if name not in _NOT_PASSED_ON and not name.startswith(b"x-kiteroll-")
        ]
        client = scope["client"][0] if scope["client"] else ""
        given = {**self._link.own_headers(), CLIENT_HEADER: client, SCHEME_HEADER: scope["scheme"]}
        headers += [(name.encode(), value.encode("latin-1")) for name, value in given.items()]
        there = httpx.URL(url).copy_with(raw_path=path)
        # Made by hand: the client of the link would add headers of its own.
        limits = {"timeout": TIMEOUT.as_dict()}
        return httpx.Request(scope["method"], there, headers=headers, content=body, extensions=limits)


def _is_passed_on(scope: Scope) -> bool:
    path: str = scope["path"]
    unknown = "principal" in scope and scope["principal"] is None
    return unknown or scope["method"] not in SAFE or path.startswith(_KNOWN_THERE)


async def _pass_back(answer: httpx.Response, send: Send) -> None:
    """Raises httpx.HTTPError when it breaks off."""
    headers = [
        (name.lower(), value) for name, value in answer.headers.raw if name.lower() not in _NOT_PASSED_BACK
    ]
    await send({"type": "http.response.start", "status": answer.status_code, "headers": headers})
    async for part in answer.aiter_raw():
        await send({"type": "http.response.body", "body": part, "more_body": True})
    await send({"type": "http.response.body", "body": b"", "more_body": False})
