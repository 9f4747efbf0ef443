"""How long a quiet address keeps its stay, where a switch or a group has a time of its own."""

from datetime import timedelta

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.tracking.hold_times import inherited_hold_time
from kiteroll.store.tables import group_setting, switch


def group_hold_times(connection: Connection) -> dict[str, int]:
    """Group to hold time, in seconds."""
    query = select(group_setting.c.name, group_setting.c.hold_time_s).order_by(group_setting.c.name)
    return {name: hold_time_s for name, hold_time_s in connection.execute(query)}


def set_group_hold_time(connection: Connection, name: str, hold_time_s: int | None) -> None:
    """None takes the group's hold time away."""
    if hold_time_s is None:
        connection.execute(delete(group_setting).where(group_setting.c.name == name))
        return
    statement = insert(group_setting).values(name=name, hold_time_s=hold_time_s)
    connection.execute(statement.on_duplicate_key_update(hold_time_s=hold_time_s))


def hold_times(connection: Connection) -> dict[str, timedelta]:
    """Switch to hold time, of those that have one of their own or of a group."""
    by_group = {name: timedelta(seconds=value) for name, value in group_hold_times(connection).items()}
    rows = connection.execute(
        select(switch.c.name, switch.c.hold_time_s, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    )
    found = {}
    for name, own_s, groups in rows:
        own = None if own_s is None else timedelta(seconds=own_s)
        if (inherited := inherited_hold_time(own, groups, by_group)) is not None:
            found[name] = inherited
    return found
