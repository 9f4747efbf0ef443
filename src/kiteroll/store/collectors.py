"""Collectors, and how far the readings of their sites have come."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError

from kiteroll.core.errors import Conflict, NotFound
from kiteroll.core.model.collector import Collector, CollectorStatus
from kiteroll.store.tables import collected_site, collector


@dataclass(frozen=True, slots=True, kw_only=True)
class SiteProgress:
    number: int | None = None
    """Of the last message, in the stream of the site."""
    position: int | None = None
    """The same, in the stream of the centre."""
    dropped: int = 0
    dropped_at: datetime | None = None
    refused: int = 0
    refused_at: datetime | None = None
    refusal: str = ""


def all_collectors(connection: Connection) -> list[Collector]:
    """By site and name."""
    rows = connection.execute(select(collector).order_by(collector.c.site, collector.c.name))
    return [
        Collector(
            name=row.name,
            site=row.site,
            public_key=row.public_key,
            added_at=row.added_at,
            status=None if row.status is None else _status(row.heard_at, row.status),
        )
        for row in rows
    ]


def add_collector(connection: Connection, one: Collector) -> None:
    """Raises Conflict when the name is taken."""
    values = {"name": one.name, "site": one.site, "public_key": one.public_key, "added_at": one.added_at}
    try:
        connection.execute(insert(collector).values(values))
    except IntegrityError as taken:
        raise Conflict(f"there is a collector {one.name} already") from taken


def remove_collector(connection: Connection, name: str) -> None:
    """With what was noted of its site, once that has none. Raises NotFound."""
    site = connection.execute(select(collector.c.site).where(collector.c.name == name)).scalar()
    if site is None:
        raise NotFound("collector", name, "`kiteroll collector list` shows those there are")
    connection.execute(delete(collector).where(collector.c.name == name))
    if connection.execute(select(collector.c.name).where(collector.c.site == site)).first() is None:
        connection.execute(delete(collected_site).where(collected_site.c.site == site))


def note_status(connection: Connection, name: str, status: CollectorStatus) -> None:
    kept = {
        "version": status.version,
        "started_at": status.started_at.isoformat(),
        "reads": status.reads,
        "switches": status.switches,
        "clock_ahead_s": status.clock_ahead_s,
        "waiting": status.waiting,
        "problem": status.problem,
    }
    values = {"heard_at": status.heard_at, "status": kept}
    connection.execute(update(collector).where(collector.c.name == name).values(values))


def progress(connection: Connection) -> dict[str, SiteProgress]:
    """By site."""
    return {
        row.site: SiteProgress(
            number=row.number,
            position=row.position,
            dropped=row.dropped,
            dropped_at=row.dropped_at,
            refused=row.refused,
            refused_at=row.refused_at,
            refusal=row.refusal or "",
        )
        for row in connection.execute(select(collected_site))
    }


def note_progress(connection: Connection, site: str, now: SiteProgress) -> None:
    values = {
        "number": now.number,
        "position": now.position,
        "dropped": now.dropped,
        "dropped_at": now.dropped_at,
        "refused": now.refused,
        "refused_at": now.refused_at,
        "refusal": now.refusal,
    }
    statement = insert(collected_site).values(site=site, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def _status(heard_at: datetime, kept: dict[str, object]) -> CollectorStatus:
    return CollectorStatus(
        heard_at=heard_at,
        version=str(kept["version"]),
        started_at=datetime.fromisoformat(str(kept["started_at"])),
        reads=bool(kept["reads"]),
        switches=int(str(kept["switches"])),
        clock_ahead_s=float(str(kept["clock_ahead_s"])),
        waiting=int(str(kept["waiting"])),
        problem=str(kept["problem"]),
    )
