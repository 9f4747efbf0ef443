"""How many were there over time, from intervals."""

from collections.abc import Iterable
from datetime import datetime


def counts_over_time(
    intervals: Iterable[tuple[datetime, datetime | None]], since: datetime, until: datetime
) -> list[tuple[datetime, int]]:
    """Steps (instant, how many from then on) in [since, until), the first one at `since`. Intervals
    are half-open; an end of None is still open."""
    steps: dict[datetime, int] = {since: 0}
    for began, ended in intervals:
        if began >= until or (ended is not None and ended <= since):
            continue
        start = max(began, since)
        steps[start] = steps.get(start, 0) + 1
        if ended is not None and ended < until:
            steps[ended] = steps.get(ended, 0) - 1
    found: list[tuple[datetime, int]] = []
    count = 0
    for at in sorted(steps):
        count += steps[at]
        if not found or found[-1][1] != count:
            found.append((at, count))
    return found
