"""Sites that have a limit of their own on how many of their switches are read at once."""

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import site, switch


def site_limits(connection: Connection) -> dict[str, int]:
    return {
        name: concurrency for name, concurrency in connection.execute(select(site.c.name, site.c.concurrency))
    }


def sites(connection: Connection) -> list[tuple[str, int | None, int]]:
    """Every site that a switch names or that has a limit: name, limit, switches; by name."""
    limits = site_limits(connection)
    counts = dict.fromkeys(limits, 0)
    rows = connection.execute(select(switch.c.site).where(switch.c.removed_at.is_(None), switch.c.site != ""))
    for name in rows.scalars():
        counts[name] = counts.get(name, 0) + 1
    return [(name, limits.get(name), counts[name]) for name in sorted(counts)]


def limit_site(connection: Connection, name: str, concurrency: int | None) -> None:
    """None takes the limit away."""
    if concurrency is None:
        connection.execute(delete(site).where(site.c.name == name))
        return
    statement = insert(site).values(name=name, concurrency=concurrency)
    connection.execute(statement.on_duplicate_key_update(concurrency=concurrency))
