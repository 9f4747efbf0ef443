"""Several triggers for the same subject become one, a while after the last of them. Pure."""

from datetime import datetime, timedelta

_MAX_DELAYS = 5
"""Delays after which a subject is due although triggers keep coming."""


class Debounce:
    def __init__(self, delay: timedelta) -> None:
        self._delay = delay
        self._triggers: dict[str, tuple[datetime, datetime]] = {}
        """Subject to its first and its latest trigger."""

    def trigger(self, subject: str, now: datetime) -> bool:
        """Whether it is the first trigger since the subject was last due."""
        first, latest = self._triggers.get(subject, (now, None))
        self._triggers[subject] = (first, now)
        return latest is None

    def pop_due(self, now: datetime) -> list[str]:
        """Subjects whose delay is over, in order of their first trigger; they are forgotten."""
        due = [subject for subject in self._triggers if self._due_at(subject) <= now]
        for subject in due:
            del self._triggers[subject]
        return due

    def next_due(self) -> datetime | None:
        return min((self._due_at(subject) for subject in self._triggers), default=None)

    def _due_at(self, subject: str) -> datetime:
        first, latest = self._triggers[subject]
        return min(latest + self._delay, first + _MAX_DELAYS * self._delay)
