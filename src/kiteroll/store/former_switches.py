"""Whom a name means in a question about the past: the switch that has it, or left the inventory with it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, or_, select

from kiteroll.store.inventory import get_switch
from kiteroll.store.predicates import escape_like
from kiteroll.store.tables import switch


@dataclass(frozen=True, slots=True)
class NamedSwitch:
    id: int
    removed_at: datetime | None
    """None while it is in the inventory."""


def switches_called(connection: Connection, name: str) -> list[NamedSwitch]:
    """The one of the inventory first, then those that left it with that name, the latest first. Raises
    NotFound where there is neither."""
    left = switch.c.name_key.like(escape_like(f"{name}#") + "%")  # as `remove_switch` makes their keys
    query = select(switch.c.id, switch.c.removed_at).where(
        or_(switch.c.name_key == name, and_(left, switch.c.removed_at.is_not(None))), switch.c.name == name
    )
    latest_first = query.order_by(switch.c.removed_at.is_(None).desc(), switch.c.removed_at.desc())
    found = [NamedSwitch(*row) for row in connection.execute(latest_first)]
    if not found:
        get_switch(connection, name)  # says what it may be
    return found


def switch_then(connection: Connection, name: str, at: datetime | None) -> int:
    """Id of the one that had the name at an instant: the first to leave the inventory after it, for readings
    may be of times before a switch was added. None: of the latest. Raises NotFound."""
    found = switches_called(connection, name)
    if at is None:
        return found[0].id
    after = [one for one in found if one.removed_at is None or at < one.removed_at]
    return (after[-1] if after else found[0]).id


def ids_called(connection: Connection, name: str) -> Sequence[int]:
    """Of all that have or had the name. Raises NotFound."""
    return [one.id for one in switches_called(connection, name)]
