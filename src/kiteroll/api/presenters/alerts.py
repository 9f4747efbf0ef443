"""Targets, routes, planned work and messages, as the API takes and shows them."""

from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from kiteroll.app.alerts.alert_routes import MessageRow, WorkRow
from kiteroll.app.alerts.alert_targets import TargetStatus, TestResult
from kiteroll.app.alerts.wording import message_of
from kiteroll.core.alerts.route import Hours, Route
from kiteroll.core.findings.finding import Severity
from kiteroll.schemas import api


def present_target(status: TargetStatus) -> api.AlertTarget:
    row, failing = status.row, status.failing
    return api.AlertTarget.model_validate(
        {
            "name": row.name,
            "settings": {"kind": row.kind, **row.settings},
            "has_secret": row.sealed is not None,
            "enabled": row.enabled,
            "audit_log": row.audit_log,
            "waiting": status.backlog.waiting,
            "last_sent_at": status.backlog.last_sent_at,
            "failing_since": failing.since if failing else None,
            "failures": failing.failures if failing else 0,
            "next_try_at": failing.next_try_at if failing else None,
            "error": failing.error if failing else "",
        }
    )


def present_test(result: TestResult) -> api.AlertTest:
    return api.AlertTest(
        delivered=not result.error, error=result.error, duration_s=round(result.duration_s, 3)
    )


def read_route(name: str, given: api.AlertRouteSettings, now: datetime) -> Route:
    hours = given.hours
    return Route(
        name=name,
        target=given.target,
        severity=Severity(given.severity),
        kinds=frozenset(given.kinds),
        sites=frozenset(given.sites),
        groups=frozenset(given.groups),
        hours=Hours(
            days=frozenset(hours.days),
            since=time.fromisoformat(hours.since),
            until=time.fromisoformat(hours.until),
            zone=ZoneInfo(hours.zone),
        ),
        send_cleared=given.send_cleared,
        remind_after=_span(given.remind_after_s),
        escalate_after=_span(given.escalate_after_s),
        escalate_to=given.escalate_to or "",
        enabled=given.enabled,
        set_at=now,
    )


def present_route(route: Route) -> api.AlertRoute:
    hours = route.hours
    return api.AlertRoute.model_validate(
        {
            "name": route.name,
            "target": route.target,
            "severity": route.severity.value,
            "kinds": sorted(route.kinds),
            "sites": sorted(route.sites),
            "groups": sorted(route.groups),
            "hours": {
                "days": sorted(hours.days),
                "since": f"{hours.since:%H:%M}",
                "until": f"{hours.until:%H:%M}",
                "zone": str(hours.zone),
            },
            "send_cleared": route.send_cleared,
            "remind_after_s": _seconds(route.remind_after),
            "escalate_after_s": _seconds(route.escalate_after),
            "escalate_to": route.escalate_to or None,
            "enabled": route.enabled,
            "set_at": route.set_at,
        }
    )


def present_work(row: WorkRow, now: datetime) -> api.PlannedWork:
    work = row.work
    return api.PlannedWork(
        id=row.id,
        begins_at=work.begins_at,
        ends_at=work.ends_at,
        site=work.site,
        switch=work.switch,
        kind=work.kind,
        reason=row.reason,
        planned_by=row.planned_by,
        state="coming" if now < work.begins_at else "running" if now < work.ends_at else "over",
    )


def present_message(row: MessageRow) -> api.Alert:
    return api.Alert(
        id=row.id,
        target=row.target_name,
        route=row.route,
        reason=row.reason.value,
        finding=row.finding,
        title=message_of(row).line,
        content=dict(row.content),
        made_at=row.made_at,
        state=row.state,  # type: ignore[arg-type]  # the model checks it
        attempts=row.attempts,
        next_try_at=row.next_try_at if row.state == "waiting" else None,
        ended_at=row.ended_at,
        possibly_repeated=row.possibly_repeated,
        error=row.error,
    )


def _span(seconds: int | None) -> timedelta | None:
    return None if seconds is None else timedelta(seconds=seconds)


def _seconds(span: timedelta | None) -> int | None:
    return None if span is None else round(span.total_seconds())
