"""What is set for groups of switches: how long quiet addresses are held, and which share one table."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.tracking.hold_times import inherited_hold_time
from kiteroll.store.tables import group_setting, switch


@dataclass(frozen=True, slots=True)
class GroupRow:
    hold_time_s: int | None = None
    """None: as set for the service."""
    shares_tables: bool = False


def group_settings(connection: Connection) -> dict[str, GroupRow]:
    """Of those groups that have any."""
    query = select(group_setting.c.name, group_setting.c.hold_time_s, group_setting.c.shares_tables)
    return {name: GroupRow(hold, shares) for name, hold, shares in connection.execute(query.order_by("name"))}


def change_group(connection: Connection, name: str, values: Mapping[str, Any]) -> None:
    """Set some of `GroupRow`."""
    if not values:
        return
    statement = insert(group_setting).values(name=name, **values)
    connection.execute(statement.on_duplicate_key_update(**values))
    plain = delete(group_setting).where(
        group_setting.c.name == name,
        group_setting.c.hold_time_s.is_(None),
        group_setting.c.shares_tables.is_(False),
    )
    connection.execute(plain)


def hold_times(connection: Connection) -> dict[str, timedelta]:
    """Switch to hold time, of those that have one of their own or of a group."""
    by_group = {
        name: timedelta(seconds=one.hold_time_s)
        for name, one in group_settings(connection).items()
        if one.hold_time_s is not None
    }
    rows = connection.execute(
        select(switch.c.name, switch.c.hold_time_s, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    )
    found = {}
    for name, own_s, in_groups in rows:
        own = None if own_s is None else timedelta(seconds=own_s)
        if (inherited := inherited_hold_time(own, in_groups, by_group)) is not None:
            found[name] = inherited
    return found


def pairs(connection: Connection) -> dict[str, str]:
    """Switch to the first group of it whose switches share their tables."""
    shared = {name for name, one in group_settings(connection).items() if one.shares_tables}
    if not shared:
        return {}
    rows = connection.execute(select(switch.c.name, switch.c.in_groups).where(switch.c.removed_at.is_(None)))
    return {
        name: min(shared.intersection(in_groups))
        for name, in_groups in rows
        if shared.intersection(in_groups)
    }
