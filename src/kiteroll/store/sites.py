"""What holds for sites: how many of their switches are read at once, and the area they are in."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import site, switch


@dataclass(frozen=True, slots=True)
class SiteRow:
    name: str
    concurrency: int | None
    """Of its switches, how many are read at once; None: no limit of its own."""
    area: str
    """Empty: the one of all sites that name none."""
    switches: int


def site_limits(connection: Connection) -> dict[str, int]:
    rows = connection.execute(select(site.c.name, site.c.concurrency).where(site.c.concurrency.is_not(None)))
    return {name: concurrency for name, concurrency in rows}


def areas_of_switches(connection: Connection) -> dict[str, str]:
    """Switches whose site is in a named area, and that area."""
    rows = connection.execute(
        select(switch.c.name, site.c.area)
        .join(site, site.c.name == switch.c.site)
        .where(switch.c.removed_at.is_(None), site.c.area != "")
    )
    return {name: area for name, area in rows}


def sites(connection: Connection) -> list[SiteRow]:
    """Every site that a switch names or that something is set for, by name."""
    own = {row.name: row for row in connection.execute(select(site))}
    counts = dict.fromkeys(own, 0)
    rows = connection.execute(select(switch.c.site).where(switch.c.removed_at.is_(None), switch.c.site != ""))
    for name in rows.scalars():
        counts[name] = counts.get(name, 0) + 1
    return [
        SiteRow(name, own[name].concurrency, own[name].area, counts[name])
        if name in own
        else SiteRow(name, None, "", counts[name])
        for name in sorted(counts)
    ]


def change_site(connection: Connection, name: str, values: Mapping[str, Any]) -> None:
    """Set `concurrency` (None takes the limit away) or `area` (empty: that of all sites that name none); what
    is not given stays."""
    if not values:
        return
    statement = insert(site).values(name=name, **values)
    connection.execute(statement.on_duplicate_key_update(dict(values)))
    connection.execute(delete(site).where(site.c.concurrency.is_(None), site.c.area == ""))
