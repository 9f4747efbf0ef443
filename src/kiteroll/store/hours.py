"""What came in an hour: readings, changes, new endpoints, findings."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Connection, and_, delete, func, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.changes_at_uplinks import at_access_ports
from kiteroll.store.tables import change_hour, change_log, endpoint, finding, reading

HOUR = timedelta(hours=1)
MOST_HOURS = 168
"""That are asked for; counts are kept for twice as many."""


@dataclass(frozen=True, slots=True, kw_only=True)
class HourRow:
    began_at: datetime
    readings: int
    """Tries at reading, whatever came of them."""
    incomplete: int
    """Readings that were not complete."""
    slowest_ms: int
    changes: int
    """Not those at uplinks."""
    new_endpoints: int
    findings: int
    """Opened, or opened again and not since."""


def hour_of(connection: Connection, began_at: datetime) -> HourRow:
    """Of the hour that begins then. Each count goes by an index of times."""
    until = began_at + HOUR
    read = connection.execute(
        select(
            func.count(),
            func.coalesce(func.sum(reading.c.outcome != "complete"), 0),
            func.coalesce(func.max(reading.c.duration_ms), 0),
        ).where(and_(reading.c.taken_at >= began_at, reading.c.taken_at < until))
    ).one()
    seen = and_(endpoint.c.first_seen_at >= began_at, endpoint.c.first_seen_at < until)
    # What opened then was last found at that time at the earliest.
    opened = and_(finding.c.last_at >= began_at, finding.c.opened_at >= began_at, finding.c.opened_at < until)
    return HourRow(
        began_at=began_at,
        readings=int(read[0]),
        incomplete=int(read[1]),
        slowest_ms=int(read[2]),
        changes=_changes(connection, began_at),
        new_endpoints=connection.scalar(select(func.count()).select_from(endpoint).where(seen)) or 0,
        findings=connection.scalar(select(func.count()).select_from(finding).where(opened)) or 0,
    )


def hour_at(at: datetime) -> datetime:
    """When the hour began that this instant is in."""
    return at.replace(minute=0, second=0, microsecond=0)


def add_changes(connection: Connection, counts: Mapping[datetime, int]) -> None:
    """Changes that came, by the beginning of their hour."""
    if not counts:
        return
    rows = [{"began_at": hour, "changes": count} for hour, count in sorted(counts.items())]
    new = insert(change_hour)
    more = change_hour.c.changes + new.inserted.changes
    connection.execute(new.on_duplicate_key_update(changes=more), rows)
    old = max(counts) - 2 * MOST_HOURS * HOUR
    connection.execute(delete(change_hour).where(change_hour.c.began_at < old))


def _changes(connection: Connection, began_at: datetime) -> int:
    """As counted; up to the hour in which counting began from the log, which takes longer."""
    first = connection.scalar(select(func.min(change_hour.c.began_at)))
    if first is not None and began_at > first:
        counted = select(change_hour.c.changes).where(change_hour.c.began_at == began_at)
        return connection.scalar(counted) or 0
    query = select(func.count()).where(change_log.c.at >= began_at, change_log.c.at < began_at + HOUR)
    if (at_access := at_access_ports(connection)) is not None:
        query = query.where(at_access)
    return connection.scalar(query) or 0
