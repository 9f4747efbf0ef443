"""Fans events out to everyone who listens to the live stream."""

import asyncio
import secrets
from collections import deque
from collections.abc import AsyncIterator, Iterable
from dataclasses import dataclass

from pydantic import BaseModel

from kiteroll.schemas.stream import ResyncEvent

RESYNC = "resync"
QUEUE = 1000
"""Events kept for a listener that does not keep up."""
KEPT = 5000
"""The latest events, for listeners that come back."""


@dataclass(frozen=True, slots=True)
class SentEvent:
    id: str
    """Of this run of the service, then a number that grows by one."""
    name: str
    switch: str | None
    on_uplink: bool
    data: str
    """JSON."""


_Written = tuple[str, str | None, bool, str]
"""An event without its id: name, switch, whether it is on an uplink, and data."""


def _written(event: BaseModel) -> _Written:
    return (
        getattr(event, "event", ""),
        getattr(event, "switch", None),
        getattr(event, "uplink", False),
        event.model_dump_json(),
    )


class EventBroadcaster:
    """Lives in the event loop from `attach` on; `publish` may be called from any thread."""

    def __init__(self) -> None:
        self._loop: asyncio.AbstractEventLoop | None = None
        self._queues: set[asyncio.Queue[SentEvent | None]] = set()
        self._run = secrets.token_hex(4)
        self._kept: deque[SentEvent] = deque(maxlen=KEPT)
        self._count = 0
        self._closed = False

    def attach(self) -> None:
        """Called in the event loop. What is published before is dropped."""
        self._loop = asyncio.get_running_loop()

    def publish(self, events: Iterable[BaseModel]) -> None:
        """Models of `schemas.stream`."""
        if self._loop is not None and not self._closed:
            # Written here: half a million changes are not to be turned into text in the event loop.
            self._loop.call_soon_threadsafe(self._spread, tuple(map(_written, events)))

    def close(self) -> None:
        """End every stream."""
        self._closed = True
        for queue in self._queues:
            self._end(queue)

    async def listen(self, after: str | None = None) -> AsyncIterator[SentEvent]:
        """Events from now on, or those behind the one with the id `after`, until the broadcaster closes. A
        listener that falls `QUEUE` events behind, or whose last event is not kept any more, gets a single
        `resync` in place of what it missed."""
        queue: asyncio.Queue[SentEvent | None] = asyncio.Queue(QUEUE)
        missed = self._behind(after) if after else ()
        self._queues.add(queue)
        try:
            for event in missed:
                yield event
            while not self._closed and (next_one := await queue.get()) is not None:
                yield next_one
        finally:
            self._queues.discard(queue)

    @property
    def last_id(self) -> str:
        return f"{self._run}-{self._count}"

    def _behind(self, after: str) -> tuple[SentEvent, ...]:
        run, _, number = after.partition("-")
        if run != self._run or not number.isascii() or not number.isdecimal():
            return (self._resync(),)
        missed = self._count - int(number)
        if missed > len(self._kept):
            return (self._resync(),)
        return tuple(self._kept)[len(self._kept) - missed :] if missed > 0 else ()

    def _resync(self) -> SentEvent:
        return SentEvent(self.last_id, RESYNC, None, False, ResyncEvent().model_dump_json())

    def _spread(self, events: tuple[_Written, ...]) -> None:
        for event in events:
            self._count += 1
            sent = SentEvent(self.last_id, *event)
            self._kept.append(sent)
            for queue in self._queues:
                if queue.full():
                    while not queue.empty():
                        queue.get_nowait()
                    queue.put_nowait(self._resync())
                queue.put_nowait(sent)

    @staticmethod
    def _end(queue: "asyncio.Queue[SentEvent | None]") -> None:
        while not queue.empty():
            queue.get_nowait()
        queue.put_nowait(None)
