"""Which switches are tracked where: what the service decides, and what the tracker of an area may write."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, select, update

from kiteroll.store.inventory import is_read
from kiteroll.store.predicates import one_of
from kiteroll.store.tables import site, switch


@dataclass(frozen=True, slots=True)
class TrackedSwitch:
    id: int
    name: str
    site: str
    area: str
    """Of its site; empty: the one of all sites that name none."""
    tracked_in: str
    """The area whose tracker has it; empty: the service tracks it itself."""
    is_read: bool


def tracked_switches(connection: Connection, area: str | None = None) -> list[TrackedSwitch]:
    """Every switch of the inventory; or those that the tracker of an area has."""
    area_of = func.coalesce(site.c.area, "")
    columns = (switch.c.id, switch.c.name, switch.c.site, area_of, switch.c.tracked_in)
    rows = select(*columns, switch.c.enabled, switch.c.source).where(switch.c.removed_at.is_(None))
    rows = rows.outerjoin(site, site.c.name == switch.c.site)
    if area is not None:
        rows = rows.where(switch.c.tracked_in == area)
    return [TrackedSwitch(*row[:5], is_read(row[5], row[6])) for row in connection.execute(rows)]


def site_where_read(connection: Connection, switch_id: int) -> str | None:
    """None for a switch that is off, known from files alone, or not there."""
    columns = (switch.c.site, switch.c.enabled, switch.c.source)
    query = select(*columns).where(switch.c.id == switch_id, switch.c.removed_at.is_(None))
    row = connection.execute(query).one_or_none()
    return row[0] if row is not None and is_read(row[1], row[2]) else None


def site_left_at(connection: Connection, switch_id: int, site_name: str) -> datetime | None:
    """Until when the collectors of a site read a switch, by id, also one that is no more; None: they were not
    the last that did."""
    query = select(switch.c.left_site_at).where(switch.c.id == switch_id, switch.c.left_site == site_name)
    return connection.execute(query).scalar_one_or_none()


def assignment_mark(connection: Connection, area: str) -> tuple[object, ...]:
    """Another one whenever `tracked_switches` of the area are others, for whoever looks every second."""
    names = func.crc32(func.concat_ws("/", switch.c.id, switch.c.name, switch.c.site))
    query = select(func.count(), func.sum(names)).where(
        switch.c.removed_at.is_(None), switch.c.tracked_in == area
    )
    return tuple(connection.execute(query).one())


def assign_switches(connection: Connection, ids: Collection[int], area: str) -> None:
    """To the tracker of an area; empty: back to the service. Whoever had them writes of them no more."""
    connection.execute(update(switch).where(one_of(switch.c.id, ids)).values(tracked_in=area))
