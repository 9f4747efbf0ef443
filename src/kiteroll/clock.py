"""The one place that asks the system for the time.

Everything else is handed a `Clock` or an instant, so that the same readings always give the
same result and tests never wait.
"""

import time
from datetime import UTC, datetime
from typing import Protocol


class Clock(Protocol):
    def now(self) -> datetime:
        """The current instant, aware, in UTC."""

    def monotonic(self) -> float:
        """Seconds on a clock that never goes back; only differences mean anything."""

    async def sleep(self, seconds: float) -> None: ...


class SystemClock:
    def now(self) -> datetime:
        return datetime.now(UTC)  # noqa: TID251 - this is the place the rule points to

    def monotonic(self) -> float:
        return time.monotonic()

    async def sleep(self, seconds: float) -> None:
        import asyncio  # its loop runs already; a command that only asks the time loads none

        await asyncio.sleep(seconds)
