"""A clock that tests turn by hand: sleeping takes no time, and is noted."""

import asyncio
from datetime import datetime, timedelta

from tests.support.factories import NOON


class ManualClock:
    """Implements `kiteroll.clock.Clock`. `sleep` advances it at once and lets other tasks run."""

    def __init__(self, start: datetime = NOON) -> None:
        self._now = start
        self._seconds = 0.0
        self.slept: list[float] = []

    def now(self) -> datetime:
        return self._now

    def ahead(self) -> timedelta:
        return timedelta(0)

    def monotonic(self) -> float:
        return self._seconds

    def set(self, now: datetime) -> None:
        self.advance(max(0.0, (now - self._now).total_seconds()))

    def advance(self, seconds: float) -> None:
        self._now += timedelta(seconds=seconds)
        self._seconds += seconds

    async def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)
        self.advance(seconds)
        await asyncio.sleep(0)
