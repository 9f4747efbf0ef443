"""When each switch is read next. Pure: the poller asks it, with the time in hand."""

from dataclasses import dataclass
from datetime import datetime, timedelta

BACKOFF_CAP = timedelta(minutes=15)
"""A silent switch is asked at least this often, however long it has been silent."""


@dataclass(slots=True)
class _Slot:
    interval: timedelta
    due_at: datetime
    site: str
    failures: int = 0
    tried_at: datetime | None = None
    running: bool = False


class Schedule:
    """Which switches are due. A switch is never due while a reading of it runs."""

    def __init__(self) -> None:
        self._slots: dict[int, _Slot] = {}

    def put(self, switch: int, interval: timedelta, due_at: datetime, site: str = "") -> None:
        """Add a switch, or change its interval; a change never delays its next reading."""
        slot = self._slots.get(switch)
        if slot is None:
            self._slots[switch] = _Slot(interval, due_at, site)
        else:
            slot.interval, slot.site = interval, site
            slot.due_at = min(slot.due_at, due_at)

    def drop(self, switch: int) -> None:
        self._slots.pop(switch, None)

    def switches(self) -> frozenset[int]:
        return frozenset(self._slots)

    def claim_due(self, now: datetime) -> list[int]:
        """Switches to read now, longest overdue first; they count as running from here on."""
        due = [(slot.due_at, switch) for switch, slot in self._slots.items() if self._due(slot, now)]
        taken = [switch for _, switch in sorted(due)]
        for switch in taken:
            self._slots[switch].running = True
        return taken

    def claim(self, switch: int) -> bool:
        """Claim one switch for a reading out of turn. False when one is running already."""
        slot = self._slots.get(switch)
        if slot is not None and slot.running:
            return False
        if slot is not None:
            slot.running = True
        return True

    def settle(self, switch: int, started_at: datetime, *, answered: bool) -> datetime | None:
        """Note how a reading went; returns when the switch is next due (None: dropped meanwhile).

        The interval counts from the start of the reading. A switch that does not answer is asked
        again after its interval, then twice that, up to `BACKOFF_CAP` or its interval if longer. Once
        one that was silent answers, an outage may be over: the others of its site that are silent are
        asked as soon as their interval has passed.
        """
        slot = self._slots.get(switch)
        if slot is None:
            return None
        if answered and slot.failures > 0:
            self._ask_others_sooner(slot, started_at)
        slot.failures = 0 if answered else slot.failures + 1
        slot.tried_at = started_at
        slot.due_at = started_at + backoff(slot.interval, slot.failures)
        return slot.due_at

    def _ask_others_sooner(self, recovered: _Slot, now: datetime) -> None:
        for slot in self._slots.values():
            if slot.failures > 1 and slot.tried_at is not None and slot.site == recovered.site:
                slot.due_at = min(slot.due_at, max(now, slot.tried_at + slot.interval))

    def done(self, switch: int) -> None:
        """The reading is over, and all that came of it: the switch may be due again."""
        if switch in self._slots:
            self._slots[switch].running = False

    def next_due(self) -> datetime | None:
        return min((slot.due_at for slot in self._slots.values() if not slot.running), default=None)

    @staticmethod
    def _due(slot: _Slot, now: datetime) -> bool:
        return not slot.running and slot.due_at <= now


def backoff(interval: timedelta, failures: int) -> timedelta:
    """Time until the next try after `failures` failures in a row."""
    if failures <= 1:
        return interval
    doubled: timedelta = interval * 2 ** min(failures - 1, 20)
    return max(interval, min(doubled, BACKOFF_CAP))
