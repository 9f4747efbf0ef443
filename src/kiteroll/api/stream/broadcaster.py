"""Fans events out to everyone who listens to the live stream."""

import asyncio
import secrets
from collections import deque
from collections.abc import AsyncGenerator, Iterable
from contextlib import suppress
from dataclasses import replace

from pydantic import BaseModel

from kiteroll.app.serving.sent_event import AUDITED, FOLLOWING, HELLO, RESYNC, SentEvent
from kiteroll.schemas.stream import ResyncEvent

QUEUE = 1000
"""Events kept for a listener that does not keep up."""
KEPT = 5000
"""The latest events, for listeners that come back."""


_Written = tuple[str, str | None, bool, str]
"""An event without its id: name, switch, whether it is on an uplink, and data."""


def _written(event: BaseModel) -> _Written:
    return (
        getattr(event, "event", ""),
        getattr(event, "switch", None),
        getattr(event, "uplink", False),
        event.model_dump_json(),
    )


async def with_beats(
    events: AsyncGenerator[SentEvent, None], every_s: float
) -> AsyncGenerator[SentEvent | None, None]:
    """Events as they come; None when a sign of life is due, as none came for so long."""
    waiting = asyncio.ensure_future(anext(events))
    try:
        while True:
            done, _ = await asyncio.wait({waiting}, timeout=every_s)
            if not done:
                yield None
                continue
            try:
                event = waiting.result()
            except StopAsyncIteration:
                return
            yield event
            waiting = asyncio.ensure_future(anext(events))
    finally:
        waiting.cancel()


class EventBroadcaster:
    """Lives in the event loop from `attach` on; `publish` may be called from any thread."""

    def __init__(self) -> None:
        self._loop: asyncio.AbstractEventLoop | None = None
        self._queues: set[asyncio.Queue[SentEvent | None]] = set()
        self._nodes: set[asyncio.Queue[SentEvent | None]] = set()
        """Those of them that are other services."""
        self._run = secrets.token_hex(4)
        self._kept: deque[SentEvent] = deque(maxlen=KEPT)
        self._count = 0
        self._closed = False
        self._relayed = asyncio.Event()
        """Set, and replaced, whenever events were relayed."""

    def attach(self) -> None:
        """Called in the event loop. What is published before is dropped."""
        self._loop = asyncio.get_running_loop()

    def publish(self, events: Iterable[BaseModel]) -> None:
        """Models of `schemas.stream`."""
        if self._loop is not None and not self._closed:
            # Written here: half a million changes are not to be turned into text in the event loop.
            self._loop.call_soon_threadsafe(self._spread, tuple(map(_written, events)))

    def publish_action(self, action: str) -> None:
        """For services that follow this one."""
        if self._loop is not None and not self._closed:
            self._loop.call_soon_threadsafe(self._spread, ((AUDITED, None, False, action),))

    @property
    def has_nodes(self) -> bool:
        """Whether other services listen."""
        return bool(self._nodes)

    def publish_to_nodes(self, name: str, switch: str, data: str) -> None:
        """For services that follow this one, without a number: one that missed it begins anew."""
        if self._loop is not None and not self._closed:
            event = SentEvent("", name, switch, False, data)
            self._loop.call_soon_threadsafe(self._hand_out, event, self._nodes)

    def relay(self, events: Iterable[SentEvent]) -> None:
        """Events of another service, under their ids: whoever listened there can go on here; and what this
        one says of how it follows. In the event loop."""
        for event in events:
            if event.name == FOLLOWING:
                self._hand_out(replace(event, id=self.last_id))
                continue
            run, _, number = event.id.rpartition("-")
            follows = run == self._run and int(number) == self._count + 1
            if not follows:
                self._kept.clear()
            self._run, self._count = run, int(number)
            if event.name in (HELLO, RESYNC):
                self._hand_out(self._resync())
            else:
                self._kept.append(event)
                self._hand_out(event)
        relayed, self._relayed = self._relayed, asyncio.Event()
        relayed.set()

    async def wait_for(self, event: str, patience_s: float) -> None:
        """Wait until the event with this id was relayed, but not for one of another run."""
        run, _, number = event.rpartition("-")
        if not number.isdecimal():
            return
        with suppress(TimeoutError):
            async with asyncio.timeout(patience_s):
                while run == self._run and self._count < int(number):
                    await self._relayed.wait()

    def close(self) -> None:
        """End every stream."""
        self._closed = True
        for queue in self._queues:
            self._end(queue)

    async def listen(
        self, after: str | None = None, waiting: int = QUEUE, *, node: bool = False
    ) -> AsyncGenerator[SentEvent, None]:
        """Events from now on, or those behind the one with the id `after`, until the broadcaster closes. A
        listener that falls `waiting` events behind, or whose last event is not kept any more, gets a single
        `resync` in place of what it missed. `node`: with what is for other services alone."""
        queue: asyncio.Queue[SentEvent | None] = asyncio.Queue(waiting)
        missed = self._behind(after) if after else ()
        self._queues.add(queue)
        if node:
            self._nodes.add(queue)
        try:
            for event in missed:
                yield event
            while not self._closed and (next_one := await queue.get()) is not None:
                yield next_one
        finally:
            self._queues.discard(queue)
            self._nodes.discard(queue)

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
            self._hand_out(sent)

    def _hand_out(self, sent: SentEvent, to: "set[asyncio.Queue[SentEvent | None]] | None" = None) -> None:
        for queue in self._queues if to is None else to:
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
