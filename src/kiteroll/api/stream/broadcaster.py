"""Fans events out to everyone who listens to the live stream."""

import asyncio
from collections.abc import AsyncIterator, Iterable
from dataclasses import dataclass

QUEUE = 1000
"""Events kept for a listener that does not keep up."""


@dataclass(frozen=True, slots=True)
class StreamEvent:
    name: str
    data: str
    """JSON."""


class EventBroadcaster:
    """Lives in the event loop from `attach` on; `publish` may be called from any thread."""

    def __init__(self) -> None:
        self._loop: asyncio.AbstractEventLoop | None = None
        self._queues: set[asyncio.Queue[StreamEvent | None]] = set()
        self._closed = False

    def attach(self) -> None:
        """Called in the event loop. What is published before is dropped."""
        self._loop = asyncio.get_running_loop()

    def publish(self, events: Iterable[StreamEvent]) -> None:
        if self._loop is not None and not self._closed:
            self._loop.call_soon_threadsafe(self._spread, tuple(events))

    def close(self) -> None:
        """End every stream."""
        self._closed = True
        for queue in self._queues:
            self._end(queue)

    async def listen(self) -> AsyncIterator[StreamEvent]:
        """Events from now on, until the broadcaster closes. A listener that falls `QUEUE` events behind
        gets a single `resync` in place of what it missed."""
        queue: asyncio.Queue[StreamEvent | None] = asyncio.Queue(QUEUE)
        self._queues.add(queue)
        try:
            while not self._closed and (event := await queue.get()) is not None:
                yield event
        finally:
            self._queues.discard(queue)

    def _spread(self, events: tuple[StreamEvent, ...]) -> None:
        for queue in self._queues:
            for event in events:
                if queue.full():
                    while not queue.empty():
                        queue.get_nowait()
                    queue.put_nowait(StreamEvent("resync", "{}"))
                queue.put_nowait(event)

    @staticmethod
    def _end(queue: "asyncio.Queue[StreamEvent | None]") -> None:
        while not queue.empty():
            queue.get_nowait()
        queue.put_nowait(None)
