"""What held from when until when: homes of endpoints, roles of ports."""

from collections.abc import Hashable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


@dataclass(frozen=True, slots=True)
class Interval(Generic[K, V]):
    """`value` held for `subject` in [since, until); `until` is None while it lasts."""

    subject: K
    value: V
    since: datetime
    until: datetime | None


class IntervalLog(Generic[K, V]):
    def __init__(self) -> None:
        self._now: dict[K, tuple[V, datetime]] = {}
        self._ended: list[Interval[K, V]] = []

    def record(self, subject: K, value: V | None, at: datetime) -> None:
        """From `at` on; None ends what held."""
        held = self._now.get(subject)
        if held is not None:
            if held[0] == value:
                return
            del self._now[subject]
            if held[1] < at:
                self._ended.append(Interval(subject, held[0], held[1], at))
        if value is not None:
            self._now[subject] = (value, at)

    def subjects(self) -> set[K]:
        """Those for which something holds now."""
        return set(self._now)

    def __iter__(self) -> Iterator[Interval[K, V]]:
        """The ended ones, then those that last."""
        yield from self._ended
        for subject, (value, since) in self._now.items():
            yield Interval(subject, value, since, None)
