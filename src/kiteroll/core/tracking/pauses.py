"""Pauses of readings: times in which a switch was not read whole for so long that whoever was on it before
and after may have been elsewhere meanwhile."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.stay import Place, Stay

_NO_PAUSE = timedelta(minutes=15)
"""Between two whole readings, whatever the ageing time: most switches are read more often than that."""

Span = tuple[datetime, datetime | None]
"""From the last reading before to the first one after it; None: it goes on."""


@dataclass(frozen=True, slots=True)
class ReadingPause:
    """A pause during a stay."""

    place: Place
    began_at: datetime
    """The last whole reading before it."""
    ended_at: datetime | None
    """The first whole reading after it; None while it lasts."""


def longest_unnoticed(ageing: timedelta | None) -> timedelta:
    """How far apart two whole readings may be without a pause. `ageing`: the ageing time of the switch;
    whoever was heard within it is in the table still (IEEE 802.1Q 8.8.3)."""
    return max(ageing or _NO_PAUSE, _NO_PAUSE)


def pauses_during(stay: Stay, pauses: Iterable[Span]) -> list[ReadingPause]:
    """Those that began while the stay lasted. `pauses`: of its switch."""
    return [
        ReadingPause(stay.place, began, ended)
        for began, ended in pauses
        if stay.began_at <= began and (stay.ended_at is None or began < stay.ended_at)
    ]


def with_open_end(
    pauses: Sequence[Span], read_at: datetime | None, ageing: timedelta | None, now: datetime
) -> list[Span]:
    """And the one that lasts, where the latest whole reading (`read_at`) is too long ago."""
    if read_at is None or now - read_at <= longest_unnoticed(ageing):
        return list(pauses)
    return [*pauses, (read_at, None)]
