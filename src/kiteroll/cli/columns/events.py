"""Columns of changes, readings and findings."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from kiteroll.cli.output import Column, Output

if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    from kiteroll.schemas import api
    from kiteroll.schemas.stream import StreamEvent

_DIFFERENCE = {
    "appeared": "green",
    "came back": "green",
    "gone": "dim",
    "moved": "cyan",
    "at more places": "yellow",
    "at fewer places": "cyan",
}
_SEVERITY = {"note": "dim", "warning": "yellow", "serious": "red"}
_CHANGE = {
    "appeared": "green",
    "moved": "cyan",
    "quiet": "yellow",
    "gone": "dim",
    "returned": "green",
    "restarted": "magenta",
}


def changes(out: Output) -> list[Column[api.Change]]:
    return [
        Column("at", lambda one: one.at),
        Column("change", lambda one: one.kind, style=lambda one: _CHANGE[one.kind]),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("switch", lambda one: one.switch),
        Column("from", lambda one: one.from_port),
        Column("port", lambda one: one.port),
        Column("vlan", lambda one: one.vlan),
        Column("ending", lambda one: one.ending),
    ]


def readings(out: Output) -> list[Column[api.ReadingSummary]]:
    return [
        Column("at", lambda one: one.taken_at),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column(
            "outcome",
            lambda one: one.outcome,
            style=lambda one: "green" if one.outcome == "complete" else "yellow",
        ),
        Column("took", lambda one: one.duration_ms, shown=lambda one: f"{one.duration_ms} ms", right=True),
        Column("rows", lambda one: one.rows, right=True),
        Column("changes", lambda one: one.changes, right=True),
        Column(
            "problem",
            lambda one: one.error or "; ".join(f"{gap.table}: {gap.why} ({gap.rows})" for gap in one.gaps),
        ),
    ]


def findings(out: Output) -> list[Column[api.Finding]]:
    return [
        Column("finding", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column("severity", lambda one: one.severity, style=lambda one: _SEVERITY[one.severity]),
        Column("state", lambda one: one.state, shown=lambda one: finding_state(one, out)),
        Column("kind", lambda one: one.kind),
        Column("quiet for", lambda one: one.last_at, shown=lambda one: out.age(one.last_at)),
        Column("count", lambda one: one.count, right=True),
        Column("explains", lambda one: one.parts or None, right=True),
        Column("part of", lambda one: one.part_of, right=True),
        Column("title", lambda one: one.title),
        Column("likely cause", lambda one: one.cause),
    ]


def finding_state(one: api.Finding, out: Output) -> str:
    """With a word on one whose condition was not found to be so lately."""
    return f"{one.state}, may be over" if out.is_past(one.may_be_over_at) else one.state


def evidence(out: Output) -> list[Column[api.Evidence]]:
    return [
        Column("at", lambda one: one.at),
        Column("evidence", lambda one: one.text),
    ]


def shared_addresses() -> list[Column[api.SharedAddress]]:
    return [
        Column("address", lambda one: one.prefix, style=lambda _: "bold"),
        Column("reason", lambda one: one.reason),
    ]


def differences() -> list[Column[api.Difference]]:
    return [
        Column("at", lambda one: one.at),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("difference", lambda one: one.kind, style=lambda one: _DIFFERENCE[one.kind]),
        Column("before", lambda one: one.before),
        Column("after", lambda one: one.after),
    ]


def unread_switches() -> list[Column[api.UnreadSwitch]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("read before", lambda one: one.read_before),
        Column("read after", lambda one: one.read_after),
    ]


def hours() -> list[Column[api.Hour]]:
    return [
        Column("from", lambda one: one.began_at),
        Column("readings", lambda one: one.readings, right=True),
        Column("not complete", lambda one: one.incomplete, right=True),
        Column("slowest", lambda one: one.slowest_ms, shown=lambda one: f"{one.slowest_ms} ms", right=True),
        Column("changes", lambda one: one.changes, right=True),
        Column("new endpoints", lambda one: one.new_endpoints, right=True),
        Column("findings", lambda one: one.findings, right=True),
    ]


def vlans() -> list[Column[api.VlanSummary]]:
    return [
        Column("vlan", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column("name", lambda one: one.names),
        Column("switches", lambda one: one.switches, right=True),
        Column("present", lambda one: one.present, right=True),
    ]


def workers(out: Output) -> list[Column[api.WorkerHealth]]:
    return [
        Column("worker", lambda one: one.name, style=lambda _: "bold"),
        Column("running", lambda one: one.running, style=lambda one: "green" if one.running else "red"),
        Column("failures", lambda one: one.failures, right=True),
        Column("failed", lambda one: one.failed_at, shown=lambda one: _ago(out, one.failed_at)),
        Column("error", lambda one: one.error),
    ]


def _ago(out: Output, at: datetime | None) -> str:
    return "" if at is None else f"{out.age(at)} ago"


def stream_events() -> list[Column[StreamEvent]]:
    """Of the live stream: what an event lacks stays empty."""

    def of(name: str) -> Callable[[StreamEvent], Any]:
        return lambda one: getattr(one, name, None)

    def text(one: StreamEvent) -> str:
        if one.event == "finding":
            return f"{one.state}: {one.title}"
        if one.event == "reading":
            return one.error or f"{one.rows} rows, {one.changes} changes"
        return f"from {one.from_port}" if one.event == "change" and one.from_port else ""

    def uplink(one: StreamEvent) -> str:
        return "uplink" if one.event == "change" and one.uplink else ""

    names = ("at", "event", "kind", "outcome", "switch", "port", "vlan", "mac", "uplink")
    return [
        *(Column(name, of(name), shown=uplink if name == "uplink" else None) for name in names),
        Column("text", text),
    ]
