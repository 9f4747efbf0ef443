"""Columns of alerts: targets, routes, planned work, and what was sent."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kiteroll.cli.output import Column, Output, age

if TYPE_CHECKING:
    from kiteroll.schemas import api

_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def alert_targets(out: Output) -> list[Column[api.AlertTarget]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("kind", lambda one: one.settings.kind),
        Column("where", lambda one: _where(one.settings)),
        Column("state", _state, style=lambda one: "yellow" if one.error or not one.enabled else ""),
        Column("waiting", lambda one: one.waiting, right=True),
        Column("last sent", lambda one: one.last_sent_at, shown=lambda one: out.age(one.last_sent_at)),
        Column("audit log", lambda one: one.audit_log, shown=lambda one: "too" if one.audit_log else ""),
        Column("error", lambda one: one.error),
    ]


def alert_routes() -> list[Column[api.AlertRoute]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("severity", lambda one: one.severity),
        Column("target", lambda one: one.target),
        Column("kinds", lambda one: one.kinds),
        Column("sites", lambda one: one.sites),
        Column("groups", lambda one: one.groups),
        Column("hours", lambda one: _hours(one.hours)),
        Column("remind", lambda one: one.remind_after_s, shown=lambda one: _span(one.remind_after_s)),
        Column("escalate", lambda one: one.escalate_after_s, shown=_escalates),
        Column(
            "over", lambda one: one.send_cleared, shown=lambda one: "sent" if one.send_cleared else "not sent"
        ),
        Column(
            "state",
            lambda one: "on" if one.enabled else "off",
            style=lambda one: "" if one.enabled else "yellow",
        ),
    ]


def planned_work(out: Output) -> list[Column[api.PlannedWork]]:
    return [
        Column("number", lambda one: one.id, right=True),
        Column("state", lambda one: one.state, style=lambda one: "bold" if one.state == "running" else ""),
        Column("from", lambda one: one.begins_at),
        Column("until", lambda one: one.ends_at),
        Column("ends in", lambda one: "", shown=lambda one: out.until(one.ends_at)),
        Column("where", lambda one: one.switch or one.site or "everywhere"),
        Column("kind", lambda one: one.kind),
        Column("reason", lambda one: one.reason),
        Column("by", lambda one: one.planned_by),
    ]


def alerts(out: Output) -> list[Column[api.Alert]]:
    return [
        Column("made", lambda one: one.made_at, shown=lambda one: out.age(one.made_at)),
        Column("target", lambda one: one.target),
        Column("state", lambda one: one.state, style=lambda one: "" if one.state == "sent" else "yellow"),
        Column("reason", lambda one: one.reason),
        Column("finding", lambda one: one.finding, right=True),
        Column("what", lambda one: one.title),
        Column("tries", lambda one: one.attempts, right=True),
        Column("possibly", lambda one: "twice" if one.possibly_repeated else ""),
        Column("error", lambda one: one.error),
    ]


def _where(settings: api.TargetSettings) -> str:
    match settings.kind:
        case "webhook":
            return settings.url
        case "mail":
            return f"{', '.join(settings.recipients)} by {settings.host}:{settings.port}"
        case "syslog":
            return f"{settings.host}:{settings.port} by {settings.transport.upper()}"
        case "folder":
            return settings.path


def _state(one: api.AlertTarget) -> str:
    if not one.enabled:
        return "off"
    return f"failing ({one.failures})" if one.failures else "works" if one.last_sent_at else "not used yet"


def _hours(hours: api.RouteHours) -> str:
    days = "" if len(hours.days) == 7 else ",".join(_DAYS[day] for day in hours.days)
    clock = "" if hours.since == hours.until else f"{hours.since}-{hours.until}"
    return " ".join(filter(None, (days, clock, hours.zone if days or clock else ""))) or "always"


def _span(seconds: int | None) -> str:
    from datetime import timedelta

    return "" if seconds is None else age(timedelta(seconds=seconds))


def _escalates(one: api.AlertRoute) -> str:
    return f"{_span(one.escalate_after_s)} to {one.escalate_to}" if one.escalate_to else ""
