"""How long a quiet address keeps its stay, where a switch or a group has a time of its own."""

from datetime import timedelta

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import group_setting, switch


def group_holds(connection: Connection) -> dict[str, int]:
    """Group to hold time, in seconds."""
    query = select(group_setting.c.name, group_setting.c.hold_s).order_by(group_setting.c.name)
    return {name: hold_s for name, hold_s in connection.execute(query)}


def set_group_hold(connection: Connection, name: str, hold_s: int | None) -> None:
    """None takes the group's hold time away."""
    if hold_s is None:
        connection.execute(delete(group_setting).where(group_setting.c.name == name))
        return
    statement = insert(group_setting).values(name=name, hold_s=hold_s)
    connection.execute(statement.on_duplicate_key_update(hold_s=hold_s))


def holds(connection: Connection) -> dict[str, timedelta]:
    """Switch to hold time, of those that have one: their own, else the longest of their groups."""
    by_group = group_holds(connection)
    rows = connection.execute(
        select(switch.c.name, switch.c.hold_s, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    )
    found = {}
    for name, own, groups in rows:
        hold_s = (
            own
            if own is not None
            else max((by_group[one] for one in groups if one in by_group), default=None)
        )
        if hold_s is not None:
            found[name] = timedelta(seconds=hold_s)
    return found
