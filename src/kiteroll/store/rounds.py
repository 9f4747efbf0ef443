"""Rounds on demand. Their progress is not stored: it follows from `tried_at` of their switches."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, insert, select, update

from kiteroll.core.errors import NotFound
from kiteroll.store.tables import on_demand_round, switch


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundRow:
    id: int
    began_at: datetime
    ended_at: datetime | None
    state: str
    """running, done, cancelled, or interrupted (the service ended while it ran)."""
    wanted: list[str]


def begin_round(connection: Connection, at: datetime, wanted: Sequence[str]) -> RoundRow:
    done = connection.execute(
        insert(on_demand_round).values(began_at=at, state="running", wanted=list(wanted))
    )
    key = done.inserted_primary_key
    if key is None:
        raise AssertionError("an inserted round has a primary key")
    return get_round(connection, key[0])


def end_round(connection: Connection, number: int, at: datetime | None, state: str) -> None:
    connection.execute(
        update(on_demand_round).where(on_demand_round.c.id == number).values(ended_at=at, state=state)
    )


def interrupt_running(connection: Connection) -> None:
    """At start: rounds that ran when the service ended last."""
    connection.execute(
        update(on_demand_round).where(on_demand_round.c.state == "running").values(state="interrupted")
    )


def get_round(connection: Connection, number: int) -> RoundRow:
    row = connection.execute(select(on_demand_round).where(on_demand_round.c.id == number)).one_or_none()
    if row is None:
        raise NotFound("round", str(number), "`kiteroll round list` shows the latest")
    return _row(row)


def latest_rounds(connection: Connection, limit: int) -> list[RoundRow]:
    query = select(on_demand_round).order_by(on_demand_round.c.id.desc()).limit(limit)
    return [_row(row) for row in connection.execute(query)]


def progress(connection: Connection, row: RoundRow) -> dict[str, str]:
    """Health of each wanted switch that was tried since the round began, by name."""
    until = row.ended_at
    query = select(switch.c.name, switch.c.health).where(
        switch.c.removed_at.is_(None), switch.c.name.in_(row.wanted), switch.c.tried_at >= row.began_at
    )
    if until is not None and row.state != "done":
        query = query.where(switch.c.tried_at <= until)
    return {name: health for name, health in connection.execute(query)}


def _row(row: Row[Any]) -> RoundRow:
    return RoundRow(**{name: getattr(row, name) for name in RoundRow.__dataclass_fields__})
