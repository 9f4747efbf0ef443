"""Columns of what happened and what is to be looked at, and of rules."""

from kiteroll.cli.show import Column, Output
from kiteroll.schemas import api

_DIFFERENCE = {"appeared": "green", "came back": "green", "gone": "dim", "moved": "cyan"}
_SEVERITY = {"note": "dim", "warning": "yellow", "serious": "red"}
_CHANGE = {
    "appeared": "green",
    "moved": "cyan",
    "quiet": "yellow",
    "gone": "dim",
    "returned": "green",
    "restarted": "magenta",
}


def rules() -> list[Column[api.PortRules]]:
    return [
        Column("of", _level, style=lambda _: "bold"),
        Column("port", lambda one: one.port or ""),
        Column("seats", lambda one: one.seats, shown=lambda one: str(one.seats or ""), right=True),
        Column("watched", lambda one: one.watched, shown=lambda one: _yes_no(one.watched)),
        Column("enrolled", lambda one: len(one.roll), right=True),
    ]


def roll_entries() -> list[Column[tuple[api.PortRules, api.RollEntry]]]:
    return [
        Column("number", lambda each: each[1].id, right=True),
        Column("of", lambda each: _level(each[0])),
        Column("port", lambda each: each[0].port or ""),
        Column("enrolled", lambda each: each[1].prefix, style=lambda _: "bold"),
        Column("vlan", lambda each: each[1].vlan, shown=lambda each: str(each[1].vlan or "any"), right=True),
        Column("note", lambda each: each[1].note),
        Column("by", lambda each: each[1].by),
        Column("at", lambda each: each[1].at),
    ]


def attendance() -> list[Column[api.Attendance]]:
    return [
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("vlan", lambda one: one.vlan),
        Column(
            "roll",
            lambda one: one.standing,
            style=lambda one: "green" if one.standing == "enrolled" else "yellow",
        ),
    ]


def _level(rule: api.PortRules) -> str:
    return f"group {rule.group}" if rule.group else rule.switch or ""


def _yes_no(said: bool | None) -> str:
    return "" if said is None else "yes" if said else "no"


def changes(out: Output) -> list[Column[api.Change]]:
    return [
        Column("at", lambda one: one.at),
        Column("change", lambda one: one.kind, style=lambda one: _CHANGE[one.kind]),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("switch", lambda one: one.switch),
        Column("from", lambda one: one.from_port),
        Column("port", lambda one: one.port),
        Column("vlan", lambda one: one.vlan),
        Column("why", lambda one: one.why),
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
            "trouble",
            lambda one: one.error or "; ".join(f"{gap.table}: {gap.why} ({gap.rows})" for gap in one.gaps),
        ),
    ]


def findings(out: Output) -> list[Column[api.Finding]]:
    return [
        Column("finding", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column("severity", lambda one: one.severity, style=lambda one: _SEVERITY[one.severity]),
        Column("state", lambda one: one.state),
        Column("kind", lambda one: one.kind),
        Column("quiet for", lambda one: one.last_at, shown=lambda one: out.age(one.last_at)),
        Column("count", lambda one: one.count, right=True),
        Column("explains", lambda one: one.parts or None, right=True),
        Column("what", lambda one: one.title),
        Column("likely cause", lambda one: one.cause),
    ]


def evidence(out: Output) -> list[Column[api.Evidence]]:
    return [
        Column("at", lambda one: one.at),
        Column("evidence", lambda one: one.text),
    ]


def shared_addresses() -> list[Column[api.SharedAddress]]:
    return [
        Column("address", lambda one: one.prefix, style=lambda _: "bold"),
        Column("why", lambda one: one.why),
    ]


def compared() -> list[Column[api.Compared]]:
    return [
        Column("at", lambda one: one.at),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("difference", lambda one: one.difference, style=lambda one: _DIFFERENCE[one.difference]),
        Column("before", lambda one: one.before),
        Column("after", lambda one: one.after),
    ]


def vlans() -> list[Column[api.VlanSummary]]:
    return [
        Column("vlan", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column("name", lambda one: one.names),
        Column("switches", lambda one: one.switches, right=True),
        Column("present", lambda one: one.present, right=True),
    ]
