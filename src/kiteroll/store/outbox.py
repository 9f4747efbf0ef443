"""The outbox: messages that are to be delivered, and what became of them.

A message is written in one transaction and delivered after it. What was being sent when the service ended is
sent again, marked: it may have arrived.
"""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, Integer, Row, and_, case, func, or_, select, update
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.alerts.plan import Sent
from kiteroll.core.alerts.route import AlertReason
from kiteroll.core.findings.finding import Severity
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.audit import AuditRow, entries_after
from kiteroll.store.bulk import chunks
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.tables import alert_message, alert_target, finding

WAITING = "waiting"
SENDING = "sending"
SENT = "sent"
COUNTED = "counted"
"""Not sent itself: a delivery of others said how many there were."""
FAILED = "failed"
"""Given up."""
_MOST_COUNTED = 100_000
"""At once."""


@dataclass(frozen=True, slots=True, kw_only=True)
class NewMessage:
    target: int
    route: str
    reason: AlertReason
    number: int
    finding: int
    times_opened: int
    content: Mapping[str, Any]

    @property
    def key(self) -> str:
        return f"{self.finding}:{self.times_opened}:{self.reason.value}:{self.number}"


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageRow:
    id: int
    target: int
    target_name: str
    route: str
    reason: AlertReason
    finding: int | None
    content: Mapping[str, Any]
    made_at: datetime
    state: str
    attempts: int
    next_try_at: datetime
    ended_at: datetime | None
    possibly_repeated: bool
    error: str


@dataclass(frozen=True, slots=True)
class MessageFilters:
    states: Sequence[str] = ()
    target: str | None = None
    finding: int | None = None


@dataclass(frozen=True, slots=True)
class SentRow:
    """What a route sent of a finding since it opened last."""

    key: str
    """Of the finding."""
    times_opened: int
    route: str
    sent: Sent


@dataclass(frozen=True, slots=True)
class Backlog:
    """Of one target."""

    waiting: int
    last_sent_at: datetime | None


def add_messages(connection: Connection, new: Sequence[NewMessage], at: datetime) -> None:
    """One that is there already is left as it is: adding twice sends once."""
    rows = [
        {
            **_fresh(at),
            "key": one.key,
            "target_id": one.target,
            "route_name": one.route,
            "reason": one.reason.value,
            "number": one.number,
            "finding_id": one.finding,
            "times_opened": one.times_opened,
            "content": dict(one.content),
        }
        for one in new
    ]
    if rows:
        connection.execute(insert(alert_message).prefix_with("IGNORE"), rows)


def add_audit_entries(connection: Connection, target: int, at: datetime, limit: int = 200) -> int:
    """Put the next entries of the audit log into the outbox for a target; returns how many. Every entry goes,
    so that whoever gets them can check the chain."""
    table = alert_target
    query = select(table.c.audit_upto).where(table.c.id == target, table.c.audit_log).with_for_update()
    upto = connection.execute(query).scalar()
    entries: list[AuditRow] = [] if upto is None else entries_after(connection, upto, limit)
    if not entries:
        return 0
    rows = [
        {
            **_fresh(at),
            "key": f"audit:{one.number}",
            "target_id": target,
            "route_name": "",
            "reason": AlertReason.AUDIT.value,
            "number": one.number,
            "finding_id": None,
            "times_opened": 0,
            "content": one.plain(),
        }
        for one in entries
    ]
    connection.execute(insert(alert_message).prefix_with("IGNORE"), rows)
    connection.execute(update(table).where(table.c.id == target).values(audit_upto=entries[-1].number))
    return len(entries)


def sent_since_opened(connection: Connection, cleared_since: datetime) -> list[SentRow]:
    """Of findings that are open, or were cleared since then."""
    columns = (
        *(finding.c.key, finding.c.times_opened, alert_message.c.route_name, alert_message.c.reason),
        *(alert_message.c.made_at, alert_message.c.number),
    )
    same = and_(
        finding.c.id == alert_message.c.finding_id, finding.c.times_opened == alert_message.c.times_opened
    )
    query = select(*columns).join_from(finding, alert_message, same)
    query = query.where(or_(finding.c.state != "cleared", finding.c.cleared_at >= cleared_since))
    return [
        SentRow(
            row.key, row.times_opened, row.route_name, Sent(AlertReason(row.reason), row.made_at, row.number)
        )
        for row in connection.execute(query)
    ]


def mark_interrupted(connection: Connection) -> int:
    """At start: what was being sent may have arrived, and is sent again. Returns how many."""
    table = alert_message
    result = connection.execute(
        update(table).where(table.c.state == SENDING).values(state=WAITING, possibly_repeated=True)
    )
    return result.rowcount


def mark_restored(connection: Connection) -> None:
    """After a restore: what waited when the backup was made may have been delivered since."""
    table = alert_message
    connection.execute(
        update(table)
        .where(table.c.state.in_((WAITING, SENDING)))
        .values(state=WAITING, possibly_repeated=True)
    )


def targets_waited_for(connection: Connection, now: datetime) -> list[int]:
    """Targets, of those that are enabled, for which something waits that may be tried now."""
    table = alert_message
    query = select(table.c.target_id).join(alert_target).where(alert_target.c.enabled, _may_be_tried(now))
    return list(connection.execute(query.distinct().order_by(table.c.target_id)).scalars())


def waiting_messages(connection: Connection, target: int, now: datetime, limit: int) -> list[MessageRow]:
    """Those for one target that may be tried now: what is not over first, the worst of it before the others,
    and of those the oldest. A loop does not wait behind thousands of strangers."""
    table = alert_message
    # By way of the ids, so that no texts are sorted.
    ids = select(table.c.id, _URGENCY.label("urgency")).join(alert_target)
    ids = ids.where(alert_target.c.enabled, table.c.target_id == target, _may_be_tried(now))
    next_ones = ids.order_by(_URGENCY.desc(), table.c.id).limit(limit).subquery()
    query = _joined().join(next_ones, next_ones.c.id == table.c.id)
    rows = connection.execute(query.order_by(next_ones.c.urgency.desc(), table.c.id))
    return [_message(row) for row in rows]


def _may_be_tried(now: datetime) -> ColumnElement[bool]:
    return and_(alert_message.c.state == WAITING, alert_message.c.next_try_at <= now)


_SEVERITY = func.coalesce(func.json_value(alert_message.c.content, "$.severity"), "")
_URGENCY = case(
    (alert_message.c.reason == AlertReason.OVER.value, 0),
    else_=1 + func.field(_SEVERITY, *(one.value for one in Severity), type_=Integer),
)
"""Entries of the audit log have no severity."""


@dataclass(frozen=True, slots=True)
class Crowd:
    """Messages that wait beside those of a delivery, and are only counted in it."""

    ids: tuple[int, ...] = ()
    counts: Mapping[tuple[str, AlertReason], int] = field(default_factory=dict)
    """By kind of finding, and reason."""


def waiting_beside(connection: Connection, target: int, now: datetime, ids: Collection[int]) -> Crowd:
    """What else waits for a target and may be tried now. Entries of the audit log are never among them: each
    of those is sent, so that their chain can be checked."""
    table = alert_message
    kind = func.coalesce(func.json_value(table.c.content, "$.kind"), "")
    query = (
        select(table.c.id, kind, table.c.reason)
        .where(table.c.target_id == target, _may_be_tried(now))
        .where(table.c.reason != AlertReason.AUDIT.value, table.c.id.not_in(ids))
        .order_by(table.c.id)
        .limit(_MOST_COUNTED)
    )
    others = connection.execute(query).all()
    counts = Counter((kind, AlertReason(reason)) for _, kind, reason in others)
    return Crowd(tuple(number for number, _, _ in others), counts)


def begin_delivery(connection: Connection, ids: Sequence[int], delivery: str) -> None:
    table = alert_message
    for part in chunks(ids):
        connection.execute(
            update(table)
            .where(table.c.id.in_(part), table.c.state == WAITING)
            .values(state=SENDING, delivery=delivery, attempts=table.c.attempts + 1)
        )


def end_delivery(connection: Connection, ids: Sequence[int], at: datetime, counted: Sequence[int]) -> None:
    """`counted`: those of which it only said how many they are."""
    table = alert_message
    for state, those in ((SENT, ids), (COUNTED, counted)):
        for part in chunks(those):
            ended = update(table).where(table.c.id.in_(part)).values(state=state, ended_at=at, error="")
            connection.execute(ended)


def fail_delivery(
    connection: Connection,
    ids: Sequence[int],
    error: str,
    at: datetime,
    next_try_at: datetime,
    given_up_before: datetime,
) -> int:
    """They wait until `next_try_at`, and what else waits for the target with them; those made before
    `given_up_before` are given up. Returns how many were."""
    table, text = alert_message, error[:2000]
    lost = 0
    for part in chunks(ids):
        lost += connection.execute(
            update(table)
            .where(table.c.id.in_(part), table.c.made_at < given_up_before)
            .values(state=FAILED, ended_at=at, error=text)
        ).rowcount
        connection.execute(
            update(table)
            .where(table.c.id.in_(part), table.c.made_at >= given_up_before)
            .values(state=WAITING, next_try_at=next_try_at, error=text)
        )
    return lost


def messages_page(connection: Connection, filters: MessageFilters, ask: PageAsk) -> Page[MessageRow]:
    """Latest first."""
    table = alert_message
    query = _joined()
    if filters.states:
        query = query.where(table.c.state.in_(filters.states))
    if filters.target is not None:
        query = query.where(alert_target.c.name == filters.target)
    if filters.finding is not None:
        query = query.where(table.c.finding_id == filters.finding)
    keys = (Key(table.c.made_at, descending=True), Key(table.c.id, descending=True))
    return fetch_page(connection, query, keys, _message, ask, {"id": (Key(table.c.id),)})


def backlogs(connection: Connection) -> dict[int, Backlog]:
    """By target."""
    table = alert_message
    waiting = connection.execute(
        select(table.c.target_id, func.count())
        .where(table.c.state.in_((WAITING, SENDING)))
        .group_by(table.c.target_id)
    )
    counts = {target: count for target, count in waiting}
    sent = connection.execute(
        select(table.c.target_id, func.max(table.c.ended_at))
        .where(table.c.state == SENT)
        .group_by(table.c.target_id)
    )
    last = {target: at for target, at in sent}
    return {
        target: Backlog(counts.get(target, 0), last.get(target)) for target in counts.keys() | last.keys()
    }


def _fresh(at: datetime) -> dict[str, Any]:
    return {
        "made_at": at,
        "state": WAITING,
        "attempts": 0,
        "next_try_at": at,
        "delivery": "",
        "possibly_repeated": False,
        "error": "",
    }


def _joined() -> Any:
    return select(alert_message, alert_target.c.name.label("target_name")).join(alert_target)


def _message(row: Row[Any]) -> MessageRow:
    return MessageRow(
        id=row.id,
        target=row.target_id,
        target_name=row.target_name,
        route=row.route_name,
        reason=AlertReason(row.reason),
        finding=row.finding_id,
        content=row.content,
        made_at=row.made_at,
        state=row.state,
        attempts=row.attempts,
        next_try_at=row.next_try_at,
        ended_at=row.ended_at,
        possibly_repeated=row.possibly_repeated,
        error=row.error,
    )
