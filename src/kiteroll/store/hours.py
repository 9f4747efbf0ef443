"""What came in an hour: readings, changes, new endpoints, findings."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Connection, and_, func, select

from kiteroll.store.tables import endpoint, finding, reading

HOUR = timedelta(hours=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class HourRow:
    began_at: datetime
    readings: int
    """Tries at reading, whatever came of them."""
    incomplete: int
    """Readings that were not complete."""
    slowest_ms: int
    changes: int
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
            func.coalesce(func.sum(reading.c.change_count), 0),
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
        changes=int(read[3]),
        new_endpoints=connection.scalar(select(func.count()).select_from(endpoint).where(seen)) or 0,
        findings=connection.scalar(select(func.count()).select_from(finding).where(opened)) or 0,
    )
