"""The live stream's middle: what happens goes in once and out to everyone who listens."""

import asyncio
from collections.abc import AsyncIterator
from dataclasses import dataclass

QUEUE = 1000
"""Events kept for a listener that does not keep up."""


@dataclass(frozen=True, slots=True)
class Event:
    name: str
    data: str
    """JSON."""


class Hub:
    """Lives in the event loop; `publish` may be called from any thread."""

    def __init__(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._queues: set[asyncio.Queue[Event | None]] = set()
        self._closed = False

    def publish(self, event: Event) -> None:
        self._loop.call_soon_threadsafe(self._spread, event)

    def close(self) -> None:
        """End every stream."""
        self._closed = True
        for queue in self._queues:
            self._end(queue)

    async def listen(self) -> AsyncIterator[Event]:
        """Events from now on, until the hub closes. One that falls `QUEUE` events behind is told
        once to look again (`resync`) in place of what it missed."""
        queue: asyncio.Queue[Event | None] = asyncio.Queue(QUEUE)
        self._queues.add(queue)
        try:
            while not self._closed and (event := await queue.get()) is not None:
                yield event
        finally:
            self._queues.discard(queue)

    def _spread(self, event: Event) -> None:
        for queue in self._queues:
            if queue.full():
                while not queue.empty():
                    queue.get_nowait()
                queue.put_nowait(Event("resync", "{}"))
            queue.put_nowait(event)

    @staticmethod
    def _end(queue: "asyncio.Queue[Event | None]") -> None:
        while not queue.empty():
            queue.get_nowait()
        queue.put_nowait(None)
