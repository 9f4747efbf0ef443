"""Intervals of time in whole microseconds: joined, cut out of each other, and counted.

Numbers, not instants: a rehearsal goes through millions of them.
"""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta

Span = tuple[int, int]
"""[began, ended), in microseconds since 1970 (UTC)."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


def micros(at: datetime) -> int:
    return (at - _EPOCH) // _MICROSECOND


def instant(number: int) -> datetime:
    return _EPOCH + timedelta(microseconds=number)


def length(lasted: timedelta) -> int:
    return lasted // _MICROSECOND


def joined(spans: Iterable[Span], gap: int = 0) -> list[Span]:
    """In order of time, those that touch or overlap as one; so are those with at most `gap` between."""
    found: list[Span] = []
    last_began = last_ended = -1
    for began, ended in sorted(spans):
        if last_ended >= 0 and began <= last_ended + gap:
            if ended > last_ended:
                last_ended = ended
                found[-1] = (last_began, ended)
        else:
            found.append((began, ended))
            last_began, last_ended = began, ended
    return found


def without(span: Span, cut: Sequence[Span]) -> list[Span]:
    """What is left of a span. `cut`: in order of time, none overlapping."""
    found: list[Span] = []
    began, ended = span
    for cut_from, cut_to in cut:
        if cut_to <= began or cut_from >= ended:
            continue
        if cut_from > began:
            found.append((began, cut_from))
        began = max(began, cut_to)
    if began < ended:
        found.append((began, ended))
    return found


def most_at_once(spans: Sequence[Span]) -> tuple[int, dict[int, int]]:
    """How many of the spans hold at once at most, and for how long each number of them did."""
    # Ends come before beginnings of the same instant.
    events = sorted([(ended, -1) for _, ended in spans] + [(began, 1) for began, _ in spans])
    times: dict[int, int] = {}
    most = count = 0
    before = 0
    for at, change in events:
        if at != before:
            if count:
                times[count] = times.get(count, 0) + at - before
                if count > most:
                    most = count
            before = at
        count += change
    return most, times
