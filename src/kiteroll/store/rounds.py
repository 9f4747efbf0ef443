"""Rounds on demand, and how their tries at switches ended."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, insert, select, update
from sqlalchemy.dialects import mysql

from kiteroll.core.errors import NotFound
from kiteroll.store.tables import on_demand_round, round_try


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


def add_try(connection: Connection, number: int, switch: str, *, complete: bool) -> None:
    """`complete`: whether the switch was read completely. Of two tries in one round the later one counts."""
    statement = mysql.insert(round_try).values(round_id=number, switch=switch, complete=complete)
    connection.execute(statement.on_duplicate_key_update(complete=statement.inserted.complete))


def tries(connection: Connection, number: int) -> dict[str, bool]:
    """Whether each switch that was tried in a round was read completely, by name."""
    query = select(round_try.c.switch, round_try.c.complete).where(round_try.c.round_id == number)
    return {switch: complete for switch, complete in connection.execute(query)}


def _row(row: Row[Any]) -> RoundRow:
    return RoundRow(**{name: getattr(row, name) for name in RoundRow.__dataclass_fields__})
