"""Ports that Kite Roll closed, and those that somebody else did."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, and_, exists, insert, or_, select, update

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.port_actions.closures import Closure
from kiteroll.store.tables import port, port_closure, switch

ON_THE_SWITCH = "on the switch"
"""Who reopened a port that nobody here did."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ClosureRow:
    id: int
    closure: Closure
    action: int
    closed_by: str
    """Empty: a rule by itself."""
    why: str
    came_back: int
    reopened_by: str


@dataclass(frozen=True, slots=True)
class ClosedElsewhere:
    """A port that is shut on the switch, and not by Kite Roll."""

    switch: str
    port: str
    alias: str
    since: datetime | None
    """Since when it is down, as far as that is known."""


def add_closure(
    connection: Connection, closure: Closure, action: int, closed_by: str, why: str, came_back: int
) -> None:
    """Nothing where the port is closed already: closing it twice is closing it once."""
    switch_name, port_name = closure.port
    if _open_of(connection, closure.port) is not None:
        return
    connection.execute(
        insert(port_closure).values(
            switch_name=switch_name,
            port_name=port_name,
            action_id=action,
            closed_at=closure.closed_at,
            closed_by=closed_by[:64],
            why=why[:512],
            breach=closure.breach,
            reopen_at=closure.reopen_at,
            held=closure.held,
            came_back=came_back,
            reopened_by="",
            by_timer=False,
        )
    )


def end_closure(connection: Connection, at_port: PortRef, at: datetime, by: str, *, by_timer: bool) -> None:
    """The port is open again: nothing where it was not closed."""
    if (number := _open_of(connection, at_port)) is not None:
        values = {"reopened_at": at, "reopened_by": by[:64], "by_timer": by_timer}
        connection.execute(update(port_closure).where(port_closure.c.id == number).values(**values))


def forget_closures(connection: Connection, switch_name: str, at: datetime) -> None:
    """The switch leaves the inventory: nothing here opens its ports any more."""
    table = port_closure
    values = {"reopened_at": at, "reopened_by": "left with its switch", "by_timer": False}
    connection.execute(
        update(table)
        .where(table.c.switch_name == switch_name, table.c.reopened_at.is_(None))
        .values(**values)
    )


def end_open_again(connection: Connection) -> int:
    """Ports that somebody opened on the switch itself: a reading that began after they were closed says so.
    Returns how many."""
    table = port_closure
    query = (
        select(table.c.id, switch.c.last_complete_at)
        .join(switch, switch.c.name_key == table.c.switch_name)
        .join(port, and_(port.c.switch_id == switch.c.id, port.c.name == table.c.port_name))
        .where(table.c.reopened_at.is_(None), port.c.admin_up, switch.c.last_complete_at > table.c.closed_at)
    )
    found = connection.execute(query).all()
    for number, seen_at in found:
        values = {"reopened_at": seen_at, "reopened_by": ON_THE_SWITCH, "by_timer": False}
        connection.execute(update(table).where(table.c.id == number).values(**values))
    return len(found)


def open_closures(connection: Connection) -> list[ClosureRow]:
    """Ports that are closed now, the latest first."""
    table = port_closure
    query = select(table).where(table.c.reopened_at.is_(None)).order_by(table.c.closed_at.desc(), table.c.id)
    return [_row(row) for row in connection.execute(query)]


def closures_of(connection: Connection, at_port: PortRef, since: datetime) -> list[ClosureRow]:
    """Of one port, the latest first."""
    table = port_closure
    query = select(table).where(
        table.c.switch_name == at_port[0], table.c.port_name == at_port[1], table.c.closed_at >= since
    )
    return [_row(row) for row in connection.execute(query.order_by(table.c.closed_at.desc()))]


def closures_since(connection: Connection, since: datetime) -> list[ClosureRow]:
    """Ports closed since then, and those that are closed still, the latest first."""
    table = port_closure
    query = select(table).where(or_(table.c.closed_at >= since, table.c.reopened_at.is_(None)))
    return [_row(row) for row in connection.execute(query.order_by(table.c.closed_at.desc()))]


def hold_closed(connection: Connection, number: int) -> None:
    """The timer does not open it any more."""
    connection.execute(
        update(port_closure).where(port_closure.c.id == number).values(reopen_at=None, held=True)
    )


def put_off(connection: Connection, number: int, until: datetime) -> None:
    """The timer opens it later: it could not just now."""
    connection.execute(update(port_closure).where(port_closure.c.id == number).values(reopen_at=until))


def closed_elsewhere(connection: Connection, limit: int) -> list[ClosedElsewhere]:
    """Ports whose switch says they are shut by whoever manages it, by switch and port."""
    ours = exists().where(
        and_(
            port_closure.c.switch_name == switch.c.name,
            port_closure.c.port_name == port.c.name,
            port_closure.c.reopened_at.is_(None),
        )
    )
    query = (
        select(switch.c.name, port.c.name, port.c.alias, port.c.oper_since)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), port.c.there, ~port.c.admin_up, ~ours)
        .order_by(switch.c.name, port.c.number)
        .limit(limit)
    )
    return [ClosedElsewhere(*row) for row in connection.execute(query)]


def _open_of(connection: Connection, at_port: PortRef) -> int | None:
    table = port_closure
    query = select(table.c.id).where(
        table.c.switch_name == at_port[0], table.c.port_name == at_port[1], table.c.reopened_at.is_(None)
    )
    return connection.execute(query.limit(1)).scalar()


def _row(row: Row[Any]) -> ClosureRow:
    closure = Closure(
        port=(row.switch_name, row.port_name),
        closed_at=row.closed_at,
        breach=row.breach,
        reopen_at=row.reopen_at,
        held=row.held,
        reopened_at=row.reopened_at,
        by_timer=row.by_timer,
    )
    return ClosureRow(
        id=row.id,
        closure=closure,
        action=row.action_id,
        closed_by=row.closed_by,
        why=row.why,
        came_back=row.came_back,
        reopened_by=row.reopened_by,
    )
