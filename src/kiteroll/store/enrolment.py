"""Enrolment windows and what people decided on their candidates; who was present when."""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Select, and_, func, insert, or_, select, update
from sqlalchemy.dialects.mysql import insert as upsert

from kiteroll.core.errors import NotFound
from kiteroll.core.model.changes import ChangeKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.enrolment import Presence, Window
from kiteroll.core.policy.levels import Level, Reach
from kiteroll.store.rules import level_columns
from kiteroll.store.tables import (
    candidate_decision,
    change_log,
    enrolment_window,
    port,
    stay,
    switch,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowRow:
    id: int
    window: Window
    note: str
    opened_by: str
    opened_at: datetime
    closed_at: datetime | None
    closed_by: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    mac: MacAddress
    port: PortRef
    accepted: bool
    by: str
    at: datetime
    note: str


def windows(connection: Connection) -> list[WindowRow]:
    """Latest first."""
    query = select(enrolment_window).order_by(enrolment_window.c.id.desc()).limit(1000)
    return [_window(row) for row in connection.execute(query)]


def get_window(connection: Connection, number: int) -> WindowRow:
    """Raises NotFound."""
    row = connection.execute(select(enrolment_window).where(enrolment_window.c.id == number)).first()
    if row is None:
        raise NotFound("enrolment window", str(number), "`kiteroll enrolment list` shows them")
    return _window(row)


def open_window(connection: Connection, window: Window, note: str, by: str, at: datetime) -> int:
    done = connection.execute(
        insert(enrolment_window).values(
            **level_columns(window.level),
            begins_at=window.begins_at,
            ends_at=window.ends_at,
            min_present_s=int(window.min_present.total_seconds()),
            note=note,
            opened_by=by,
            opened_at=at,
            closed_by="",
        )
    )
    return int(done.inserted_primary_key[0])  # type: ignore[index]


def close_window(connection: Connection, number: int, by: str, at: datetime) -> None:
    """Nobody is to decide on its candidates any more. Raises NotFound."""
    get_window(connection, number)
    connection.execute(
        update(enrolment_window)
        .where(enrolment_window.c.id == number, enrolment_window.c.closed_at.is_(None))
        .values(closed_at=at, closed_by=by)
    )


def decisions(connection: Connection, number: int) -> list[Decision]:
    query = select(candidate_decision).where(candidate_decision.c.window_id == number)
    return [
        Decision(
            mac=row.mac,
            port=(row.switch_name, row.port_name),
            accepted=row.accepted,
            by=row.decided_by,
            at=row.decided_at,
            note=row.note,
        )
        for row in connection.execute(query)
    ]


def decide(connection: Connection, number: int, decisions: Sequence[Decision]) -> None:
    """Keep what was decided; the last decision on a candidate counts."""
    if not decisions:
        return
    statement = upsert(candidate_decision)
    again = ("accepted", "decided_by", "decided_at", "note")
    connection.execute(
        statement.on_duplicate_key_update({name: statement.inserted[name] for name in again}),
        [
            {
                "window_id": number,
                "mac": one.mac,
                "switch_name": one.port[0],
                "port_name": one.port[1],
                "accepted": one.accepted,
                "decided_by": one.by,
                "decided_at": one.at,
                "note": one.note,
            }
            for one in decisions
        ],
    )


def rename_windows(connection: Connection, switch_name: str, name: str) -> None:
    """Windows of a switch, and what was decided in them, follow it to its new name."""
    for table in (enrolment_window, candidate_decision):
        connection.execute(update(table).where(table.c.switch_name == switch_name).values(switch_name=name))


def ports_of_level(
    connection: Connection, level: Level, groups: dict[str, Sequence[str]]
) -> dict[int, PortRef]:
    """Ids of the ports at a level. `groups`: of every switch."""
    query = (
        select(port.c.id, port.c.name, switch.c.name)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None))
    )
    if level.switch:
        query = query.where(switch.c.name == level.switch)
    elif level.reach is Reach.GROUP:
        query = query.where(switch.c.name.in_([name for name in groups if level.group in groups[name]]))
    rows = ((number, (switch_name, name)) for number, name, switch_name in connection.execute(query))
    return {number: ref for number, ref in rows if level.holds(ref, groups.get(ref[0], ()))}


def presences(
    connection: Connection, ports: dict[int, PortRef], since: datetime, until: datetime
) -> Iterator[Presence]:
    """Who was present at these ports within a time, without the times in which one was quiet."""
    for one in present_spans(connection, since, until, stay.c.port_id.in_(list(ports))):
        yield Presence(
            mac=one.mac,
            port=ports[one.port_id],
            vlan=one.vlan,
            began_at=one.began_at,
            ended_at=one.ended_at,
        )


@dataclass(frozen=True, slots=True)
class PresentSpan:
    mac: MacAddress
    port_id: int
    vlan: int | None
    began_at: datetime
    ended_at: datetime | None
    """None: it is present now."""


def present_spans(
    connection: Connection, since: datetime, until: datetime, where: Any
) -> Iterator[PresentSpan]:
    """Intervals in which addresses were present, by their stays and by when those were quiet."""
    query: Select[Any] = select(
        stay.c.id,
        stay.c.mac,
        stay.c.port_id,
        stay.c.vlan,
        stay.c.began_at,
        stay.c.resumed_at,
        func.coalesce(stay.c.quiet_at, stay.c.ended_at).label("left_at"),
    ).where(
        where,
        stay.c.began_at < until,
        or_(stay.c.ended_at.is_(None), stay.c.ended_at > since),
    )
    rows = connection.execute(query).all()
    interrupted = {row.id for row in rows if row.resumed_at != row.began_at}
    gaps = _gaps(connection, interrupted, where, since) if interrupted else {}
    for row in rows:
        began = row.began_at
        for quiet_at, back_at in gaps.get(row.id, ()):
            if quiet_at > began:
                yield PresentSpan(row.mac, row.port_id, row.vlan or None, began, quiet_at)
            began = back_at
        if row.left_at is None or row.left_at > began:
            yield PresentSpan(row.mac, row.port_id, row.vlan or None, began, row.left_at)


def _gaps(
    connection: Connection, stays: Collection[int], where: Any, since: datetime
) -> dict[int, list[tuple[datetime, datetime]]]:
    """By stay: from when to when it was quiet, of the times that are over."""
    query = (
        select(change_log.c.stay_id, change_log.c.kind, change_log.c.at)
        .join(stay, stay.c.id == change_log.c.stay_id)
        .where(
            where,
            stay.c.resumed_at > stay.c.began_at,
            or_(stay.c.ended_at.is_(None), stay.c.ended_at > since),
            and_(change_log.c.kind.in_((ChangeKind.QUIET.value, ChangeKind.RETURNED.value))),
            change_log.c.switch_id == stay.c.switch_id,
            change_log.c.mac == stay.c.mac,
        )
        .order_by(change_log.c.at, change_log.c.id)
    )
    found: dict[int, list[tuple[datetime, datetime]]] = {}
    quiet: dict[int, datetime] = {}
    for stay_id, kind, at in connection.execute(query):
        if stay_id not in stays:
            continue
        if kind == ChangeKind.QUIET.value:
            quiet.setdefault(stay_id, at)
        elif (since_quiet := quiet.pop(stay_id, None)) is not None:
            found.setdefault(stay_id, []).append((since_quiet, at))
    return found


def _window(row: Any) -> WindowRow:
    level = Level(row.group_name, row.switch_name, row.port_name, row.port_range)
    return WindowRow(
        id=row.id,
        window=Window(level, row.begins_at, row.ends_at, timedelta(seconds=row.min_present_s)),
        note=row.note,
        opened_by=row.opened_by,
        opened_at=row.opened_at,
        closed_at=row.closed_at,
        closed_by=row.closed_by,
    )
