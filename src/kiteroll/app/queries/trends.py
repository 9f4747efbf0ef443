"""How the last hours went, hour by hour."""

import threading
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid
from kiteroll.store.database import Database
from kiteroll.store.hours import HOUR, MOST_HOURS, HourRow, hour_at, hour_of

__all__ = ["MOST_HOURS", "HourRow", "Trends"]

_SETTLED = timedelta(minutes=10)
"""An hour that ended this long ago stays as it is: what was read in it has been written."""
_FRESH = timedelta(seconds=10)
"""An hour that goes on is counted again after this."""


class Trends:
    """Hours that are over are counted once and remembered: a page of trends costs the count of one hour."""

    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock
        self._lock = threading.Lock()
        self._hours: dict[datetime, tuple[datetime, HourRow]] = {}
        """By their beginning, each with when it was counted."""

    def hours(self, many: int) -> list[HourRow]:
        """The last hours, earliest first; the last one still goes on. Raises Invalid."""
        if not 1 <= many <= MOST_HOURS:
            raise Invalid(f"hours: between 1 and {MOST_HOURS}, not {many}")
        now = self._clock.now()
        current = hour_at(now)
        wanted = [current - HOUR * back for back in reversed(range(many))]
        with self._lock:
            for gone in self._hours.keys() - {current - HOUR * back for back in range(MOST_HOURS)}:
                del self._hours[gone]
            return [self._hour(began_at, now) for began_at in wanted]

    def _hour(self, began_at: datetime, now: datetime) -> HourRow:
        known = self._hours.get(began_at)
        if known is not None:
            counted_at, row = known
            if counted_at > began_at + HOUR + _SETTLED or now - counted_at < _FRESH:
                return row
        row = self._database.run(hour_of, began_at)
        self._hours[began_at] = (now, row)
        return row
