"""Columns of switches, their ports and neighbours, credentials, rounds, sites and groups."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from kiteroll.cli.columns.endpoints import leads
from kiteroll.cli.output import Column, Output
from kiteroll.wording.spans import speed_text

if TYPE_CHECKING:
    from kiteroll.cli.bulk import Step
    from kiteroll.schemas import api

_FINE = frozenset({"read", "partial", "unread", "off"})
_HEALTH = {
    "refused": "red",
    "read": "green",
    "partial": "yellow",
    "late": "yellow",
    "silent": "red",
    "failed": "red",
    "off": "dim",
    "unread": "",
}


def switches(out: Output) -> list[Column[api.Switch]]:
    return [
        Column("switch", lambda one: one.name, style=lambda _: "bold"),
        Column("address", _address),
        Column("health", lambda one: one.health, style=lambda one: _HEALTH[one.health]),
        Column("read", lambda one: one.read_at, shown=lambda one: out.age(one.read_at)),
        Column("present", lambda one: one.present, right=True),
        Column("every", lambda one: one.interval_s, shown=lambda one: f"{one.interval_s} s", right=True),
        Column("ageing", lambda one: one.ageing_s, shown=lambda one: f"{one.ageing_s or '?'} s", right=True),
        Column("location", lambda one: one.location),
        Column("site", lambda one: one.site),
        Column(
            "next try", lambda one: one.next_try_at if one.health not in _FINE else None, shown=_next_try(out)
        ),
        Column("problem", lambda one: one.error or ""),
    ]


def neighbours(out: Output) -> list[Column[api.Neighbour]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("neighbour", lambda one: one.name or one.chassis),
        Column("its port", lambda one: one.far_port),
        Column("known as", lambda one: one.known_as),
        Column("address", lambda one: one.addresses),
        Column("capabilities", lambda one: one.capabilities),
        Column("seen", lambda one: one.seen_at, shown=lambda one: f"{out.age(one.seen_at)} ago"),
    ]


def plan() -> list[Column[Step]]:
    """What an import would do, switch by switch."""
    return [
        Column(
            "action", lambda step: step.action, style=lambda step: "dim" if step.action == "same" else "bold"
        ),
        Column("switch", lambda step: step.switch),
        Column("address", lambda step: step.address),
        Column("credential", lambda step: step.credential),
        Column(
            "changes", lambda step: ", ".join(f"{name} = {value}" for name, value in step.changes.items())
        ),
    ]


def credentials(out: Output) -> list[Column[api.NamedCredential]]:
    return [
        Column("credential", lambda one: one.name, style=lambda _: "bold"),
        Column("access", lambda one: one.kind),
        Column("used by", lambda one: one.used_by, right=True),
        Column("added", lambda one: one.added_at, shown=lambda one: f"{out.age(one.added_at)} ago"),
    ]


def link_history(out: Output) -> list[Column[api.LinkChange]]:
    return [
        Column("since", lambda one: one.at),
        Column("age", lambda one: one.at, shown=lambda one: f"{out.age(one.at)} ago"),
        Column("link", lambda one: one.oper, style=lambda one: "green" if one.oper == "up" else "dim"),
    ]


def ports(out: Output) -> list[Column[api.Port]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.name, style=lambda _: "bold"),
        Column("state", lambda one: one.oper, style=lambda one: "green" if one.oper == "up" else "dim"),
        Column("speed", lambda one: one.speed_bps, shown=lambda one: speed_text(one.speed_bps), right=True),
        Column("present", lambda one: one.present, right=True),
        Column("quiet", lambda one: one.quiet, right=True),
        Column("leads to", lambda one: one.leads_to, shown=leads),
        Column("label", lambda one: one.alias),
        Column("role", lambda one: one.role),
        Column("evidence", lambda one: one.role_evidence),
    ]


def rounds(out: Output) -> list[Column[api.Round]]:
    return [
        Column("round", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column(
            "state", lambda one: one.state, style=lambda one: "green" if one.state == "done" else "yellow"
        ),
        Column("began", lambda one: one.began_at, shown=lambda one: f"{out.age(one.began_at)} ago"),
        Column("total", lambda one: one.total, right=True),
        Column("complete", lambda one: one.complete, right=True),
        Column("failed", lambda one: len(one.failed), right=True),
        Column("remaining", lambda one: len(one.remaining), right=True),
    ]


def areas() -> list[Column[api.Area]]:
    return [
        Column("area", lambda one: one.name, shown=lambda one: one.name or "none", style=lambda _: "bold"),
        Column("sites", lambda one: ", ".join(one.sites)),
        Column("switches", lambda one: one.switches, right=True),
        Column("tracker", lambda one: one.tracker, shown=lambda one: one.tracker or "the service"),
        Column("switches it tracks", lambda one: one.tracked, right=True),
        Column("times taken", lambda one: one.times_taken, right=True),
    ]


def sites() -> list[Column[api.Site]]:
    return [
        Column("site", lambda one: one.name, style=lambda _: "bold"),
        Column("switches", lambda one: one.switches, right=True),
        Column(
            "concurrency",
            lambda one: one.concurrency,
            shown=lambda one: str(one.concurrency or "no limit"),
            right=True,
        ),
        Column("area", lambda one: one.area),
    ]


def groups() -> list[Column[api.Group]]:
    return [
        Column("group", lambda one: one.name, style=lambda _: "bold"),
        Column("switches", lambda one: one.switches, right=True),
        Column(
            "hold time",
            lambda one: one.hold_time_s,
            shown=lambda one: f"{one.hold_time_s} s" if one.hold_time_s else "",
        ),
        Column(
            "one table",
            lambda one: one.shares_tables,
            shown=lambda one: "yes" if one.shares_tables else "",
        ),
    ]


def mappings() -> list[Column[api.NamedMapping]]:
    return [
        Column("mapping", lambda one: one.name, style=lambda _: "bold"),
        Column("address", lambda one: one.mapping.address),
        Column("port", lambda one: one.mapping.port),
        Column("vlan", lambda one: one.mapping.vlan),
        Column("status", lambda one: one.mapping.status),
        Column("delimiter", lambda one: one.mapping.delimiter),
        Column("notation", lambda one: one.mapping.notation),
    ]


def _address(one: api.Switch) -> str:
    return {"snmp": f"{one.host}:{one.port}", "linux": f"bridge {one.host}"}.get(one.source, one.source)


def _next_try(out: Output) -> Callable[[api.Switch], str]:
    def shown(one: api.Switch) -> str:
        if one.next_try_at is None or one.health in _FINE:
            return ""
        return f"in {out.until(one.next_try_at)}"

    return shown
