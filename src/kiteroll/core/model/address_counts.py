"""How many addresses a port carries: now, from tables, and over time, from stays."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from datetime import datetime, timedelta

from kiteroll.core.model.mac_table import MacTable, addresses_by_port
from kiteroll.core.model.port_ref import PortRef


def address_counts(tables: Mapping[str, MacTable]) -> dict[PortRef, int]:
    """Addresses present on each port that has any."""
    return {port: count for port, _, count in addresses_by_port(tables)}


def newcomer_counts(
    tables: Mapping[str, MacTable], within: Callable[[MacTable], timedelta]
) -> dict[PortRef, int]:
    """Of those, how many each port learned `within` that time before its switch was read last."""
    counts: Counter[PortRef] = Counter()
    for switch, table in tables.items():
        if table.read_at is None:
            continue
        since = table.read_at - within(table)
        counts.update(
            (switch, table.names[number])
            for key, at in table.recent.items()
            if at >= since and (number := table.learned.get(key)) is not None
        )
    return dict(counts)


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
