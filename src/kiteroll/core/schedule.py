"""When is each switch read next? Pure: the scheduler's driver asks it, with the time in hand."""

from dataclasses import dataclass
from datetime import datetime, timedelta

BACKOFF_CAP = timedelta(minutes=15)
"""A silent switch is asked at least this often, however long it has been silent."""


@dataclass(slots=True)
class _Turn:
    interval: timedelta
    due_at: datetime
    failures: int = 0
    running: bool = False


class Schedule:
    """Which switches are due. A switch is never due while a reading of it runs."""

    def __init__(self) -> None:
        self._turns: dict[int, _Turn] = {}

    def put(self, switch: int, interval: timedelta, due_at: datetime) -> None:
        """Add a switch, or change its interval; a change never delays its next reading."""
        turn = self._turns.get(switch)
        if turn is None:
            self._turns[switch] = _Turn(interval, due_at)
        else:
            turn.interval = interval
            turn.due_at = min(turn.due_at, due_at)

    def drop(self, switch: int) -> None:
        self._turns.pop(switch, None)

    def switches(self) -> frozenset[int]:
        return frozenset(self._turns)

    def take_due(self, now: datetime) -> list[int]:
        """Switches to read now, longest overdue first; they count as running from here on."""
        due = [(turn.due_at, switch) for switch, turn in self._turns.items() if self._due(turn, now)]
        taken = [switch for _, switch in sorted(due)]
        for switch in taken:
            self._turns[switch].running = True
        return taken

    def take(self, switch: int) -> bool:
        """Claim one switch for a reading out of turn. False when one is running already."""
        turn = self._turns.get(switch)
        if turn is not None and turn.running:
            return False
        if turn is not None:
            turn.running = True
        return True

    def settle(self, switch: int, started_at: datetime, *, answered: bool) -> datetime | None:
        """Note how a reading went; returns when the switch is next due (None: dropped meanwhile).

        The beat is kept from the start of the reading. A switch that does not answer is asked
        again after its interval, then twice that, up to `BACKOFF_CAP` or its interval if longer.
        """
        turn = self._turns.get(switch)
        if turn is None:
            return None
        turn.failures = 0 if answered else turn.failures + 1
        turn.due_at = started_at + backoff(turn.interval, turn.failures)
        return turn.due_at

    def done(self, switch: int) -> None:
        """The reading is over, and all that came of it: the switch may be due again."""
        if switch in self._turns:
            self._turns[switch].running = False

    def next_due(self) -> datetime | None:
        return min((turn.due_at for turn in self._turns.values() if not turn.running), default=None)

    @staticmethod
    def _due(turn: _Turn, now: datetime) -> bool:
        return not turn.running and turn.due_at <= now


def backoff(interval: timedelta, failures: int) -> timedelta:
    """Time until the next try after `failures` failures in a row."""
    if failures <= 1:
        return interval
    doubled: timedelta = interval * 2 ** min(failures - 1, 20)
    return max(interval, min(doubled, BACKOFF_CAP))
