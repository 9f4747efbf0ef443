"""Who gets alerts of findings: targets, routes, planned work."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Connection, Row, delete, func, insert, or_, select, update
from sqlalchemy.dialects.mysql import insert as upsert

from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.core.alerts.route import Hours, Route
from kiteroll.core.errors import Conflict, NotFound
from kiteroll.core.findings.finding import Severity
from kiteroll.core.model.nearest import no_such
from kiteroll.store.tables import alert_route, alert_target, audit_entry, planned_work


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetRow:
    id: int
    name: str
    kind: str
    """webhook, mail, syslog or folder."""
    settings: Mapping[str, Any]
    sealed: bytes | None = field(repr=False)
    enabled: bool
    audit_log: bool
    """Whether entries of the audit log are sent there."""
    audit_upto: int
    """Number of the last one that was put into the outbox for it."""
    added_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkRow:
    id: int
    work: PlannedWork
    reason: str
    planned_by: str


def all_targets(connection: Connection) -> list[TargetRow]:
    """By name."""
    return [_target(row) for row in connection.execute(select(alert_target).order_by(alert_target.c.name))]


def get_target(connection: Connection, name: str) -> TargetRow:
    """Raises NotFound."""
    row = connection.execute(select(alert_target).where(alert_target.c.name == name)).one_or_none()
    if row is None:
        raise no_such("alert target", name, connection.execute(select(alert_target.c.name)).scalars())
    return _target(row)


def set_target(connection: Connection, name: str, values: Mapping[str, Any], at: datetime) -> TargetRow:
    """Add or change one. `values`: kind, settings, sealed, enabled, audit_log. The audit log is sent from
    now on, not what was in it before."""
    known = connection.execute(select(alert_target).where(alert_target.c.name == name)).one_or_none()
    last = connection.execute(select(func.max(audit_entry.c.number))).scalar() or 0
    if known is None:
        connection.execute(insert(alert_target).values(name=name, **values, audit_upto=last, added_at=at))
    else:
        upto = known.audit_upto if known.audit_log else last
        connection.execute(
            update(alert_target).where(alert_target.c.id == known.id).values(**values, audit_upto=upto)
        )
    return get_target(connection, name)


def remove_target(connection: Connection, name: str) -> None:
    """What waits for it goes too. Raises NotFound, or Conflict while routes lead there."""
    row = get_target(connection, name)
    query = select(alert_route.c.name).where(
        or_(alert_route.c.target_name == name, alert_route.c.escalate_to == name)
    )
    if routes := connection.execute(query.order_by(alert_route.c.name)).scalars().all():
        raise Conflict(f"the alert target {name!r} is used by {', '.join(routes)}: change these routes first")
    connection.execute(delete(alert_target).where(alert_target.c.id == row.id))


def all_routes(connection: Connection) -> list[Route]:
    """By name."""
    return [_route(row) for row in connection.execute(select(alert_route).order_by(alert_route.c.name))]


def set_route(connection: Connection, route: Route) -> None:
    """Add or change one; one that is changed keeps `set_at`. Raises NotFound when a target is not there."""
    for target in filter(None, (route.target, route.escalate_to)):
        get_target(connection, target)
    values = {
        "target_name": route.target,
        "severity": route.severity.value,
        "kinds": sorted(route.kinds),
        "sites": sorted(route.sites),
        "in_groups": sorted(route.groups),
        "days": sorted(route.hours.days),
        "zone": str(route.hours.zone),
        "since_minute": _minute(route.hours.since),
        "until_minute": _minute(route.hours.until),
        "send_cleared": route.send_cleared,
        "remind_after_s": _seconds(route.remind_after),
        "escalate_after_s": _seconds(route.escalate_after),
        "escalate_to": route.escalate_to,
        "enabled": route.enabled,
    }
    statement = upsert(alert_route).values(name=route.name, set_at=route.set_at, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def remove_route(connection: Connection, name: str) -> None:
    """Raises NotFound."""
    if not connection.execute(delete(alert_route).where(alert_route.c.name == name)).rowcount:
        raise no_such("alert route", name, connection.execute(select(alert_route.c.name)).scalars())


def all_planned_work(connection: Connection, ends_after: datetime) -> list[WorkRow]:
    """What is not over by then, first begun first."""
    query = select(planned_work).where(planned_work.c.ends_at > ends_after)
    return [_work(row) for row in connection.execute(query.order_by(planned_work.c.begins_at, "id"))]


def get_planned_work(connection: Connection, number: int) -> WorkRow:
    """Raises NotFound."""
    row = connection.execute(select(planned_work).where(planned_work.c.id == number)).one_or_none()
    if row is None:
        raise NotFound("planned work", str(number), "`kiteroll planned-work list` shows what is planned")
    return _work(row)


def rename_planned_work(connection: Connection, before: str, after: str) -> None:
    """Work that is planned on a switch follows it to its new name."""
    on_it = planned_work.c.switch_name == before
    connection.execute(update(planned_work).where(on_it).values(switch_name=after))


def add_planned_work(connection: Connection, work: PlannedWork, reason: str, by: str) -> WorkRow:
    values = {
        "begins_at": work.begins_at,
        "ends_at": work.ends_at,
        "site": work.site,
        "switch_name": work.switch,
        "kind": work.kind,
        "reason": reason,
        "planned_by": by[:64],
    }
    made = connection.execute(insert(planned_work).values(**values)).inserted_primary_key
    assert made is not None
    return get_planned_work(connection, made[0])


def end_planned_work(connection: Connection, number: int, at: datetime) -> None:
    """It ends now; what has not begun is not planned any more. Raises NotFound."""
    row = get_planned_work(connection, number)
    table = planned_work
    if row.work.begins_at >= at:
        connection.execute(delete(table).where(table.c.id == number))
    else:
        connection.execute(update(table).where(table.c.id == number, table.c.ends_at > at).values(ends_at=at))


def _target(row: Row[Any]) -> TargetRow:
    return TargetRow(**{name: getattr(row, name) for name in TargetRow.__dataclass_fields__})


def _route(row: Row[Any]) -> Route:
    return Route(
        name=row.name,
        target=row.target_name,
        severity=Severity(row.severity),
        kinds=frozenset(row.kinds),
        sites=frozenset(row.sites),
        groups=frozenset(row.in_groups),
        hours=Hours(
            days=frozenset(row.days),
            since=time(*divmod(row.since_minute, 60)),
            until=time(*divmod(row.until_minute, 60)),
            zone=ZoneInfo(row.zone),
        ),
        send_cleared=row.send_cleared,
        remind_after=_span(row.remind_after_s),
        escalate_after=_span(row.escalate_after_s),
        escalate_to=row.escalate_to,
        enabled=row.enabled,
        set_at=row.set_at,
    )


def _work(row: Row[Any]) -> WorkRow:
    work = PlannedWork(
        begins_at=row.begins_at,
        ends_at=row.ends_at,
        site=row.site,
        switch=row.switch_name,
        kind=row.kind,
    )
    return WorkRow(id=row.id, work=work, reason=row.reason, planned_by=row.planned_by)


def _minute(at: time) -> int:
    return at.hour * 60 + at.minute


def _seconds(span: timedelta | None) -> int | None:
    return None if span is None else round(span.total_seconds())


def _span(seconds: int | None) -> timedelta | None:
    return None if seconds is None else timedelta(seconds=seconds)
