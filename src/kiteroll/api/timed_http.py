"""HTTP connections that do not wait for ever for a request to be sent."""

import asyncio

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_S = 10.0
"""Seconds in which the head of a request must arrive, from when its connection is open or its first octet
is there. Its body is timed by `request_gate`."""


class TimedHttp(HttpToolsProtocol):
    _head_timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._await_head()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_timer()
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._await_head()

    def on_headers_complete(self) -> None:
        self._stop_timer()
        super().on_headers_complete()

    def _await_head(self) -> None:
        self._stop_timer()
        self._head_timer = self.loop.call_later(HEAD_S, self._give_up)

    def _stop_timer(self) -> None:
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None

    def _give_up(self) -> None:
        if self.transport is not None and not self.transport.is_closing():
            self.transport.close()
