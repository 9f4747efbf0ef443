"""sysUpTime as a span (RFC 3418): hundredths of a second in a 32-bit counter."""

from datetime import datetime, timedelta

TICKS_PER_SECOND = 100
WRAP_TICKS = 2**32
"""The counter wraps after about 497 days."""
CLOCK_JITTER = timedelta(seconds=2)
"""An instant that is counted back comes out a little different each time."""


def uptime(ticks: int) -> timedelta:
    """Time since the agent (re)started. `ticks` are hundredths of a second, 0..2**32-1."""
    return timedelta(seconds=ticks / TICKS_PER_SECOND)


def counted_back(ticks: int, now_ticks: int, now: datetime) -> datetime:
    """When the counter stood at `ticks`, as it stands at `now_ticks` now; a wrap in between is seen
    through. For time stamps such as ifLastChange (RFC 2863)."""
    return now - uptime((now_ticks - ticks) % WRAP_TICKS)
