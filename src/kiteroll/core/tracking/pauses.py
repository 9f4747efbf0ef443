"""Pauses of readings: times in which a switch was not read whole, or so seldom, that whoever was on it before
and after may have been elsewhere meanwhile."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.tracking.switch_health import LATE_AFTER_INTERVALS

_NO_PAUSE = timedelta(minutes=15)
"""Between two whole readings, whatever the ageing time: most switches are read more often than that."""

Span = tuple[datetime, datetime | None]
"""From the last reading before to the first one after it; None: it goes on."""


@dataclass(frozen=True, slots=True)
class ReadingPause:
    """A pause during a stay."""

    place: Place
    began_at: datetime
    """The last whole reading before it, or when the stay began."""
    ended_at: datetime | None
    """The first whole reading after it, or when the stay ended; None while it lasts."""


def longest_unnoticed(ageing: timedelta | None) -> timedelta:
    """How far apart two whole readings may be without a pause. `ageing`: the ageing time of the switch;
    whoever was heard within it is in the table still (IEEE 802.1Q 8.8.3)."""
    return max(ageing or _NO_PAUSE, _NO_PAUSE)


def pauses_of(
    apart: Iterable[tuple[datetime, datetime]],
    read_at: datetime | None,
    ageing: timedelta | None,
    now: datetime,
) -> list[Span]:
    """Pauses of one switch. `apart`: whole readings that followed each other too late, in order; where one
    such time begins as another ends, both are one. `read_at`: of the latest whole reading."""
    found: list[Span] = []
    for began, ended in apart:
        if found and found[-1][1] == began:
            found[-1] = (found[-1][0], ended)
        else:
            found.append((began, ended))
    if read_at is not None and now - read_at > longest_unnoticed(ageing):
        goes_on = bool(found) and found[-1][1] == read_at
        found.append((found.pop()[0] if goes_on else read_at, None))
    return found


def unread_around(
    before: datetime | None,
    after: datetime | None,
    ageing: timedelta | None,
    interval: timedelta,
    now: datetime,
) -> bool:
    """Whether nobody can say who was on a switch at an instant. `before`: its latest whole reading by then,
    None: there was none; `after`: the first one behind it; `interval`: how often it is read, for one that is
    read seldom is not unread for that."""
    unnoticed = max(longest_unnoticed(ageing), LATE_AFTER_INTERVALS * interval)
    return before is None or (after or now) - before > unnoticed


def pauses_during(stay: Stay, pauses: Iterable[Span]) -> list[ReadingPause]:
    """What falls into the stay of the pauses of its switch."""
    found = []
    for began, ended in pauses:
        since = max(began, stay.began_at)
        until = min((at for at in (ended, stay.ended_at) if at is not None), default=None)
        if until is None or since < until:
            found.append(ReadingPause(stay.place, since, until))
    return found
