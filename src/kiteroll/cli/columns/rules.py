"""Columns of rules, rolls, roll calls, enrolment windows and rehearsals."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

from kiteroll.cli.output import Column, Output
from kiteroll.core.model.ranges import ranges
from kiteroll.core.policy.roll import prefix_text
from kiteroll.wording.spans import span

if TYPE_CHECKING:
    from kiteroll.schemas import api

_ATTENDANCE = {"in place": "green", "elsewhere": "yellow", "not listed": "yellow"}


def rules() -> list[Column[api.PortRules]]:
    return [
        Column("level", lambda one: one.level, style=lambda _: "bold"),
        Column("seats", lambda one: one.seats, shown=lambda one: _seats(one.seats), right=True),
        Column("watched", lambda one: one.watched, shown=lambda one: _yes_no(one.watched)),
        Column("vlans", lambda one: None if one.vlans is None else ",".join(ranges(one.vlans))),
        Column("on breach", lambda one: one.on_breach or ""),
        Column("uplinks", lambda one: one.uplinks, shown=lambda one: _yes_no(one.uplinks)),
        Column("enrolled", lambda one: len(one.roll), right=True),
        Column("note", lambda one: one.note),
    ]


def roll_entries(out: Output) -> list[Column[tuple[api.PortRules, api.RollEntry]]]:
    return [
        Column("number", lambda each: each[1].id, right=True),
        Column("level", lambda each: each[0].level),
        Column("enrolled", lambda each: prefix_text(each[1].prefix), style=lambda _: "bold"),
        Column("vlan", lambda each: each[1].vlan, shown=lambda each: str(each[1].vlan or "any"), right=True),
        Column("note", lambda each: each[1].note),
        Column("owner", lambda each: each[1].owner),
        Column(
            "expires",
            lambda each: each[1].expires_at,
            shown=lambda each: _ends(out, each[1]),
            style=lambda each: "yellow" if each[1].expired else "",
        ),
        Column("by", lambda each: each[1].by),
        Column("via", lambda each: each[1].via),
        Column("at", lambda each: each[1].at),
    ]


def rule_differences() -> list[Column[api.RuleDifference]]:
    return [
        Column("level", lambda one: one.level, style=lambda _: "bold"),
        Column("what", lambda one: one.what),
        Column("address", lambda one: one.address or ""),
        Column("before", lambda one: one.before or ""),
        Column("after", lambda one: one.after or ""),
    ]


def rule_events() -> list[Column[api.RuleEvent]]:
    return [
        Column("at", lambda one: one.at),
        Column("by", lambda one: one.by, style=lambda _: "bold"),
        Column("level", lambda one: one.level),
        Column("what", lambda one: one.what),
        Column("address", lambda one: one.address or ""),
        Column("before", lambda one: _value(one.before)),
        Column("after", lambda one: _value(one.after)),
        Column("via", lambda one: one.via),
        Column("reason", lambda one: one.reason),
    ]


def barred(out: Output) -> list[Column[api.BarredEntry]]:
    return [
        Column("barred", lambda one: prefix_text(one.prefix), style=lambda _: "bold"),
        Column("reason", lambda one: one.reason),
        Column("expires", lambda one: one.expires_at, shown=lambda one: _ends(out, one)),
        Column("by", lambda one: one.by),
        Column("at", lambda one: one.at),
    ]


def occupants() -> list[Column[api.PortOccupant]]:
    return [
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("vlan", lambda one: one.vlan),
        Column(
            "status",
            lambda one: one.status,
            style=lambda one: "green" if one.status == "enrolled" else "yellow",
        ),
        Column(
            "remarks",
            lambda one: ", ".join(
                filter(
                    None,
                    (
                        "VLAN not expected" if one.unexpected_vlan else "",
                        "likely random" if one.random else "",
                    ),
                )
            ),
        ),
    ]


def roll_call_ports() -> list[Column[api.RollCallPort]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("label", lambda one: one.alias),
        Column("present", lambda one: one.present, right=True),
        Column("seats", lambda one: one.seats, shown=lambda one: _seats(one.seats), right=True),
        Column("room", lambda one: one.room, right=True),
        Column("watched", lambda one: one.watched, shown=lambda one: _yes_no(one.watched)),
        Column("enrolled", lambda one: one.enrolled, shown=lambda one: _some(one.enrolled), right=True),
        Column("strangers", lambda one: one.strangers, shown=lambda one: _some(one.strangers), right=True),
        Column(
            "out of place",
            lambda one: one.out_of_place,
            shown=lambda one: _some(one.out_of_place),
            right=True,
        ),
        Column("barred", lambda one: one.barred, shown=lambda one: _some(one.barred), right=True),
        Column("absent", lambda one: one.absent, shown=lambda one: _some(one.absent), right=True),
        Column(
            "state",
            lambda one: _state(one),
            style=lambda one: "yellow" if one.broken or one.not_read else "dim" if one.exempt else "green",
        ),
    ]


def absent(out: Output) -> list[Column[api.AbsentEntry]]:
    return [
        Column("number", lambda one: one.id, right=True),
        Column("address", lambda one: one.address, style=lambda _: "bold"),
        Column("enrolled at", lambda one: one.level),
        Column("note", lambda one: one.note),
        Column("owner", lambda one: one.owner),
        Column("last seen", lambda one: one.seen_at, shown=lambda one: out.age(one.seen_at)),
        Column("where", lambda one: f"{one.seen_switch} {one.seen_port}" if one.seen_switch else ""),
        _read(),
    ]


def attended() -> list[Column[api.AttendedDevice]]:
    return [
        Column("device", lambda one: one.device or one.mac, style=lambda _: "bold"),
        Column(
            "attendance", lambda one: one.attendance, style=lambda one: _ATTENDANCE.get(one.attendance, "red")
        ),
        Column("address", lambda one: one.mac or ""),
        Column(
            "expected at",
            lambda one: " ".join(filter(None, (one.expected_switch, one.expected_port))),
        ),
        Column("found at", lambda one: ", ".join(one.found)),
        Column("line", lambda one: one.line, right=True),
        _read(),
    ]


def _read() -> Column[Any]:
    return Column(
        "read",
        lambda one: "no" if one.not_read else "yes",
        shown=lambda one: "not in time" if one.not_read else "",
        style=lambda _: "yellow",
    )


def windows(out: Output) -> list[Column[api.EnrolmentWindow]]:
    return [
        Column("window", lambda one: one.id, right=True),
        Column("state", lambda one: one.state, style=lambda one: "green" if one.state == "open" else ""),
        Column("level", lambda one: one.level, style=lambda _: "bold"),
        Column("begins", lambda one: one.begins_at),
        Column("ends", lambda one: one.ends_at),
        Column(
            "present for",
            lambda one: one.min_present_s,
            shown=lambda one: _span(one.min_present_s) if one.min_present_s else "",
        ),
        Column("note", lambda one: one.note),
        Column("by", lambda one: one.by),
    ]


def candidates(out: Output) -> list[Column[api.Candidate]]:
    return [
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port),
        Column("vlans", lambda one: ",".join(map(str, one.vlans))),
        Column("name", lambda one: one.label or next(iter(one.host_names), "")),
        Column("ip", lambda one: next(iter(one.ips), "")),
        Column("maker", lambda one: one.maker),
        Column("kind", lambda one: one.kind),
        Column("present", lambda one: one.share, shown=lambda one: f"{one.share:.0%}", right=True),
        Column("since", lambda one: one.since, shown=lambda one: out.age(one.since)),
        Column("here now", lambda one: one.here_now, shown=lambda one: "yes" if one.here_now else "no"),
        Column("decision", lambda one: one.decision),
    ]


def ports_by_use(out: Output) -> list[Column[api.PortByUse]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("label", lambda one: one.alias),
        Column("what", lambda one: one.what, style=lambda _: "yellow"),
        Column("since", lambda one: one.since, shown=lambda one: out.age(one.since) if one.since else ""),
        Column("why", lambda one: one.why),
    ]


def rehearsed_ports() -> list[Column[api.RehearsedPort]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("findings", lambda one: one.breaches, right=True),
        Column("lasted", lambda one: one.lasted_s, shown=lambda one: _span(one.lasted_s), right=True),
    ]


def rehearsed_breaches(out: Output) -> list[Column[api.RehearsedBreach]]:
    return [
        Column("began", lambda one: one.began_at),
        Column("lasted", lambda one: one.lasted_s, shown=lambda one: _span(one.lasted_s), right=True),
        Column("finding", lambda one: one.kind, style=lambda _: "yellow"),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("address", lambda one: one.mac or ""),
        Column("vlan", lambda one: one.vlan),
        Column(
            "count", lambda one: one.count, shown=lambda one: _some(one.count - 1 and one.count), right=True
        ),
    ]


def seat_suggestions() -> list[Column[api.SeatSuggestion]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("typical", lambda one: one.typical, right=True),
        Column("95 %", lambda one: one.high, right=True),
        Column("peak", lambda one: one.peak, right=True),
        Column(
            "above 95 %",
            lambda one: one.above_high_s,
            shown=lambda one: _span(one.above_high_s) if one.above_high_s else "",
            right=True,
        ),
    ]


def _span(seconds: float) -> str:
    return span(timedelta(seconds=seconds))


def _state(one: api.RollCallPort) -> str:
    if one.exempt:
        return "uplink, exempt"
    state = "overfull" if one.overfull else "broken" if one.broken else "in order"
    return f"{state} when last read" if one.not_read else state


def _seats(seats: int | str | None) -> str:
    return "" if seats is None else str(seats)


def _some(count: int) -> str:
    return str(count) if count else ""


def _yes_no(value: bool | None) -> str:
    return "" if value is None else "yes" if value else "no"


def _ends(out: Output, one: api.RollEntry | api.BarredEntry) -> str:
    if one.expires_at is None:
        return ""
    return "expired" if one.expired else f"{one.expires_at:%Y-%m-%d %H:%M}"


def _value(value: object) -> str:
    if isinstance(value, dict):
        return ", ".join(str(one) for one in value.values() if one)
    if isinstance(value, list):
        return ",".join(ranges(value))
    return "" if value is None else str(value)
