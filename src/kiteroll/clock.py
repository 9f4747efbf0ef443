"""The one place that asks the system for the time.

Everything else is handed a `Clock` or an instant, so that the same readings always give the
same result and tests never wait.
"""

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Protocol


class Clock(Protocol):
    def now(self) -> datetime:
        """The current instant, aware, in UTC; never before one that was given out."""

    def ahead(self) -> timedelta:
        """By how much `now` is ahead of the system's clock, because that was set back."""

    def monotonic(self) -> float:
        """Seconds on a clock that never goes back; only differences mean anything."""

    async def sleep(self, seconds: float) -> None: ...


_CATCHING_UP = 0.5
"""How fast the clock goes while the system's clock is behind it."""


def _system_now() -> datetime:
    return datetime.now(UTC)  # noqa: TID251 - this is the place the rule points to


class SystemClock:
    """The system's clock, but never going back: where that is set back, this one goes on at half speed until
    the two agree. Readings stay in order, and nothing waits for the time to come round again."""

    def __init__(
        self, now: Callable[[], datetime] = _system_now, monotonic: Callable[[], float] = time.monotonic
    ) -> None:
        self._system_now = now
        self._monotonic = monotonic
        self._lock = threading.Lock()
        self._latest = now()
        self._latest_at = monotonic()

    def never_before(self, instant: datetime) -> None:
        """Give out only instants after this one: that of the last reading that was stored."""
        with self._lock:
            self._latest = max(self._latest, instant)

    def now(self) -> datetime:
        with self._lock:
            system, at = self._system_now(), self._monotonic()
            slowed = self._latest + timedelta(seconds=_CATCHING_UP * (at - self._latest_at))
            self._latest, self._latest_at = system if system > self._latest else slowed, at
            return self._latest

    def ahead(self) -> timedelta:
        return max(timedelta(0), self.now() - self._system_now())

    def monotonic(self) -> float:
        return self._monotonic()

    async def sleep(self, seconds: float) -> None:
        import asyncio  # its loop runs already; a command that only asks the time loads none

        await asyncio.sleep(seconds)
