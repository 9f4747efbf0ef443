"""Several calls for the same thing become one, a while after the last of them. Pure."""

from datetime import datetime, timedelta

_LONGEST = 5
"""Settle times after which a subject is due although calls keep coming."""


class Settling:
    def __init__(self, settle: timedelta) -> None:
        self._settle = settle
        self._calls: dict[str, tuple[datetime, datetime]] = {}
        """Subject to its first and its latest call."""

    def call(self, subject: str, now: datetime) -> None:
        first, _ = self._calls.get(subject, (now, now))
        self._calls[subject] = (first, now)

    def take_due(self, now: datetime) -> list[str]:
        """Subjects that have settled, in order of their first call; they are forgotten."""
        due = [subject for subject in self._calls if self._due_at(subject) <= now]
        for subject in due:
            del self._calls[subject]
        return due

    def next_due(self) -> datetime | None:
        return min((self._due_at(subject) for subject in self._calls), default=None)

    def _due_at(self, subject: str) -> datetime:
        first, latest = self._calls[subject]
        return min(latest + self._settle, first + _LONGEST * self._settle)
