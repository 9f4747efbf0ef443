"""Columns of acting on ports: actions, closed ports, proposals, sweeps."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kiteroll.cli.output import Column, Output
from kiteroll.duration import duration_text

if TYPE_CHECKING:
    from kiteroll.schemas import api

_STYLES = {"refused": "red", "not done": "red", "unknown": "yellow", "sending": "yellow", "open": "bold"}


def actions(out: Output) -> list[Column[api.Action]]:
    return [
        Column("id", lambda one: one.id, right=True),
        Column("at", lambda one: one.began_at, shown=lambda one: out.age(one.began_at)),
        Column("kind", lambda one: one.kind),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("state", lambda one: one.state, style=lambda one: _STYLES.get(one.state, "")),
        Column("by", lambda one: one.asked_by or one.via),
        Column("reason", lambda one: one.reason),
        Column("from", lambda one: one.was),
        Column("to", lambda one: one.to),
        Column("outcome", lambda one: one.outcome),
    ]


def action_plans() -> list[Column[api.ActionPlan]]:
    return [
        Column("kind", lambda one: one.kind),
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port),
        Column("object", lambda one: one.object),
        Column("from", lambda one: one.was),
        Column("to", lambda one: one.to),
        Column("present", lambda one: one.present_count, right=True),
        Column("guards", lambda one: [each.guard for each in one.objections]),
    ]


def closed_ports(out: Output) -> list[Column[api.ClosedPort]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("closed", lambda one: one.closed_at, shown=lambda one: out.age(one.closed_at)),
        Column("by", lambda one: one.closed_by or "a rule"),
        Column("reopens", lambda one: one.reopen_at, shown=lambda one: _reopens(out, one)),
        Column("came back", lambda one: one.came_back, right=True),
        Column("why", lambda one: one.why),
    ]


def closed_elsewhere(out: Output) -> list[Column[api.PortClosedElsewhere]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port),
        Column("alias", lambda one: one.alias),
        Column("down since", lambda one: one.since, shown=lambda one: out.age(one.since)),
    ]


def proposals(out: Output) -> list[Column[api.Proposal]]:
    return [
        Column("id", lambda one: one.id, right=True),
        Column("state", lambda one: one.state, style=lambda one: _STYLES.get(one.state, "")),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("proposed", lambda one: one.proposed_at, shown=lambda one: out.age(one.proposed_at)),
        Column("expires in", lambda one: one.expires_at, shown=lambda one: out.until(one.expires_at)),
        Column("reopens after", lambda one: one.reopen_after_s, shown=_after),
        Column("why", lambda one: one.why),
        Column("note", lambda one: one.note),
        Column("decided by", lambda one: one.decided_by),
        Column("finding", lambda one: one.finding, right=True),
    ]


def sweeps(out: Output) -> list[Column[api.Sweep]]:
    return [
        Column("id", lambda one: one.id, right=True),
        Column("began", lambda one: one.began_at, shown=lambda one: out.age(one.began_at)),
        Column("state", lambda one: one.state),
        Column("networks", lambda one: one.networks),
        Column("asked", lambda one: one.sent, right=True),
        Column("read", lambda one: one.read, right=True),
        Column("appeared", lambda one: len(one.appeared), right=True),
        Column("by", lambda one: one.by),
    ]


def appeared() -> list[Column[api.Appeared]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
    ]


def _reopens(out: Output, one: api.ClosedPort) -> str:
    if one.held:
        return "held closed"
    return "by a person" if one.reopen_at is None else f"in {out.until(one.reopen_at)}"


def _after(one: api.Proposal) -> str:
    return duration_text(one.reopen_after_s) if one.reopen_after_s else "by a person"
