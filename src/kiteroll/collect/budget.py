"""What one reading of one switch may still cost: time, and octets of answers."""

import asyncio
from collections.abc import Awaitable, Callable
from typing import TypeVar

from kiteroll.clock import Clock
from kiteroll.collect.limits import Limits

T = TypeVar("T")
_SMALL_OCTETS = 128 << 10
"""Answers that are understood within a few milliseconds, whatever is in them: those of a switch with 500
addresses. More are left to a thread."""


class Budget:
    """Shared by all exchanges of one reading."""

    def __init__(self, clock: Clock, limits: Limits) -> None:
        self._clock = clock
        self._limits = limits
        self._deadline = clock.monotonic() + limits.total_s
        self._octets = limits.octets

    @property
    def seconds_left(self) -> float:
        return self._deadline - self._clock.monotonic()

    async def turn(self, waiting: Awaitable[object]) -> bool:
        """Wait for a turn, once as long as a reading may take; that time does not count, for it is not the
        switch's fault. Whether the turn came."""
        began = self._clock.monotonic()
        try:
            async with asyncio.timeout(self._limits.total_s):
                await waiting
        except TimeoutError:
            return False
        finally:
            self._deadline += self._clock.monotonic() - began
        return True

    @property
    def octets(self) -> int:
        """Received so far."""
        return self._limits.octets - self._octets

    async def aside(self, work: Callable[..., T], *args: object) -> T:
        """Run `work` over what was read: at once where that takes a moment, in a thread where it is much.
        Many switches may end at the same time, and nobody else is to wait for all of them."""
        return work(*args) if self.octets <= _SMALL_OCTETS else await asyncio.to_thread(work, *args)

    def received(self, octets: int) -> None:
        self._octets -= octets

    def used_up(self) -> str:
        """Why the reading has to end here; empty while it may go on."""
        if self.seconds_left <= 0:
            return f"the time for this switch is used up: {self._limits.total_s:g} s"
        if self._octets <= 0:
            return f"its answers are larger than {self._limits.octets >> 20} MiB: broken off"
        return ""
