"""What was done to switches: each action is recorded before anything is sent, and how it ended afterwards."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, func, insert, select, update
from sqlalchemy.dialects.mysql import insert as upsert

from kiteroll.core.errors import NotFound
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.port_actions.actions import ActionKind, ActionState, ObjectWrite
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.tables import acting_state, port_action, port_closure, port_proposal, rehearsed_rule

_THE_ONE = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class NewAction:
    kind: ActionKind
    switch: str
    port: str
    write: ObjectWrite
    reason: str
    asked_by: str
    """Empty: a rule by itself, or the timer."""
    via: str
    overridden: Sequence[str]
    breach: str
    """Key of the finding it is for; empty for none."""
    reopen_after_s: int
    """Of a port that is closed; 0: by a person alone."""
    present: Sequence[str]
    """Addresses on the port when it was planned."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ActionRow(NewAction):
    id: int
    state: ActionState
    outcome: str
    began_at: datetime
    ended_at: datetime | None


@dataclass(frozen=True, slots=True)
class ActionFilters:
    switch: str | None = None
    port: str | None = None
    states: Sequence[str] = ()


def begin_action(connection: Connection, new: NewAction, at: datetime) -> ActionRow:
    values = {
        "kind": new.kind.value,
        "switch_name": new.switch,
        "port_name": new.port,
        "object": new.write.name,
        "was": new.write.was[:255],
        "wanted": new.write.to,
        "state": ActionState.SENDING.value,
        "outcome": "",
        "reason": new.reason[:255],
        "asked_by": new.asked_by[:64],
        "via": new.via[:64],
        "overridden": list(new.overridden),
        "breach": new.breach,
        "reopen_after_s": new.reopen_after_s,
        "present": list(new.present),
        "began_at": at,
    }
    made = connection.execute(insert(port_action).values(**values)).inserted_primary_key
    assert made is not None
    return get_action(connection, made[0])


def end_action(
    connection: Connection, number: int, state: ActionState, outcome: str, at: datetime
) -> ActionRow:
    """`at` is kept as its end where the state is one it stays in."""
    values = {"state": state.value, "outcome": outcome, "ended_at": at if state.over else None}
    connection.execute(update(port_action).where(port_action.c.id == number).values(**values))
    return get_action(connection, number)


def get_action(connection: Connection, number: int) -> ActionRow:
    """Raises NotFound."""
    row = connection.execute(select(port_action).where(port_action.c.id == number)).one_or_none()
    if row is None:
        raise NotFound("action", str(number), "`kiteroll action list` shows those there are")
    return _row(row)


def unfinished_actions(connection: Connection) -> list[ActionRow]:
    """Those of which it is not known what became of them, first begun first."""
    states = [one.value for one in ActionState if not one.over]
    query = select(port_action).where(port_action.c.state.in_(states)).order_by(port_action.c.id)
    return [_row(row) for row in connection.execute(query)]


def actions_page(connection: Connection, filters: ActionFilters, ask: PageAsk) -> Page[ActionRow]:
    """Latest first."""
    table = port_action
    query = select(table)
    if filters.switch is not None:
        query = query.where(table.c.switch_name == filters.switch)
    if filters.port is not None:
        query = query.where(table.c.port_name == filters.port)
    if filters.states:
        query = query.where(table.c.state.in_(filters.states))
    keys = (Key(table.c.began_at, descending=True), Key(table.c.id, descending=True))
    return fetch_page(connection, query, keys, _row, ask, {"id": (Key(table.c.id),)})


def closed_since(connection: Connection, since: datetime) -> tuple[int, int]:
    """Ports closed since then: all, and those that rules closed by themselves."""
    table = port_action
    query = select(func.count(), func.coalesce(func.sum(table.c.asked_by == ""), 0)).where(
        table.c.kind == ActionKind.CLOSE.value,
        table.c.began_at >= since,
        table.c.state.not_in([ActionState.REFUSED.value, ActionState.NOT_DONE.value]),
    )
    every, by_rule = connection.execute(query).one()
    return int(every), int(by_rule)


def rename_actions(connection: Connection, switch_name: str, name: str) -> None:
    """What was done to a switch follows it to its new name."""
    for table in (port_action, port_closure, port_proposal):
        connection.execute(update(table).where(table.c.switch_name == switch_name).values(switch_name=name))


def note_rehearsed(connection: Connection, fingerprints: Sequence[str], at: datetime) -> None:
    """Rules that a rehearsal went through."""
    if fingerprints:
        statement = upsert(rehearsed_rule)
        rows = [{"fingerprint": one, "rehearsed_at": at} for one in fingerprints]
        connection.execute(statement.on_duplicate_key_update(rehearsed_at=at), rows)


def rehearsed(connection: Connection, fingerprints: Sequence[str]) -> frozenset[str]:
    """Of these, the ones that were rehearsed."""
    if not fingerprints:
        return frozenset()
    table = rehearsed_rule
    query = select(table.c.fingerprint).where(table.c.fingerprint.in_(fingerprints))
    return frozenset(connection.execute(query).scalars())


def closing_stopped(connection: Connection) -> tuple[datetime, str] | None:
    """Since when rules close no ports by themselves, and why; None while they do."""
    row = connection.execute(select(acting_state).where(acting_state.c.id == _THE_ONE)).one_or_none()
    return None if row is None or row.stopped_at is None else (row.stopped_at, row.why)


def stop_closing(connection: Connection, at: datetime, why: str) -> None:
    _set_stopped(connection, {"stopped_at": at, "why": why[:255]})


def go_on_closing(connection: Connection) -> None:
    _set_stopped(connection, {"stopped_at": None, "why": ""})


def _set_stopped(connection: Connection, values: Mapping[str, Any]) -> None:
    statement = upsert(acting_state).values(id=_THE_ONE, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def _row(row: Row[Any]) -> ActionRow:
    return ActionRow(
        id=row.id,
        kind=ActionKind(row.kind),
        switch=row.switch_name,
        port=row.port_name,
        write=ObjectWrite(row.object, row.was, row.wanted),
        reason=row.reason,
        asked_by=row.asked_by,
        via=row.via,
        overridden=tuple(row.overridden),
        breach=row.breach,
        reopen_after_s=row.reopen_after_s,
        present=tuple(row.present),
        state=ActionState(row.state),
        outcome=row.outcome,
        began_at=row.began_at,
        ended_at=row.ended_at,
    )
