"""Columns of the tables, by what a row is. One place, so that a thing looks alike everywhere."""

from collections.abc import Callable

from kiteroll.cli.show import Column, Output, speed
from kiteroll.schemas import api

_LIFE = {"present": "green", "quiet": "yellow", "gone": "dim"}
_WELL = frozenset({"read", "partial", "unread", "off"})
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


def vlan_text(vlan: int | None, name: str = "") -> str:
    return "?" if vlan is None else f"{vlan} {name}".strip()


def endpoints(out: Output) -> list[Column[api.Endpoint]]:
    """One row an endpoint: its home, or the best that is known."""

    def place(one: api.Endpoint) -> api.Place | None:
        return one.home or (one.places[0] if one.places else None)

    def of(name: str) -> object:
        return lambda one: None if place(one) is None else getattr(place(one), name)

    def life(one: api.Endpoint) -> str:
        here = place(one)
        return here.life if here else "gone"

    return [
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("ip", lambda one: one.ips),
        Column("name", lambda one: one.names),
        Column("switch", of("switch")),  # type: ignore[arg-type]
        Column("port", of("port")),  # type: ignore[arg-type]
        Column("vlan", of("vlan"), shown=lambda one: _place_vlan(place(one))),  # type: ignore[arg-type]
        Column("life", life, style=lambda one: _LIFE[life(one)]),
        Column("since", of("began_at"), shown=lambda one: _age(out, place(one), "began_at")),  # type: ignore[arg-type]
        Column("seen", of("seen_at"), shown=lambda one: _ago(out, place(one), "seen_at")),  # type: ignore[arg-type]
        Column("label on port", of("port_alias")),  # type: ignore[arg-type]
        Column("how sure", lambda one: one.confidence),
        Column("label", lambda one: one.label),
        Column("maker", lambda one: one.maker or ("" if one.assigned == "registry" else one.assigned)),
        Column("why", lambda one: one.why),
    ]


def stays(out: Output) -> list[Column[api.Stay]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port),
        Column("vlan", lambda one: one.vlan, shown=lambda one: vlan_text(one.vlan, one.vlan_name)),
        Column("address", lambda one: one.mac, style=lambda _: "bold"),
        Column("life", lambda one: one.life, style=lambda one: _LIFE[one.life]),
        Column("since", lambda one: one.began_at, shown=lambda one: out.age(one.began_at)),
        Column("seen", lambda one: one.seen_at, shown=lambda one: f"{out.age(one.seen_at)} ago"),
        Column("ended", lambda one: one.ended_at),
        Column("why", lambda one: one.ending or ""),
        Column("leads to", lambda one: one.leads_to, shown=lambda one: _leads(one.leads_to)),
    ]


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
            "next try", lambda one: one.next_try_at if one.health not in _WELL else None, shown=_next_try(out)
        ),
        Column("trouble", lambda one: one.error or ""),
    ]


def neighbours(out: Output) -> list[Column[api.Neighbour]]:
    return [
        Column("switch", lambda one: one.switch),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("neighbour", lambda one: one.name or one.chassis),
        Column("its port", lambda one: one.far_port),
        Column("known as", lambda one: one.known_as),
        Column("address", lambda one: one.addresses),
        Column("is", lambda one: one.capabilities),
        Column("told", lambda one: one.seen_at, shown=lambda one: f"{out.age(one.seen_at)} ago"),
    ]


def plan() -> list[Column[tuple[str, api.NewSwitch, api.SwitchChange | None]]]:
    """What an import does, line by line."""

    def changed(step: tuple[str, api.NewSwitch, api.SwitchChange | None]) -> str:
        given = {} if step[2] is None else step[2].model_dump(exclude_none=True)
        return ", ".join(f"{name} = {value}" for name, value in given.items())

    return [
        Column("does", lambda step: step[0], style=lambda step: "dim" if step[0] == "same" else "bold"),
        Column("switch", lambda step: step[1].name),
        Column("address", lambda step: f"{step[1].host}:{step[1].port}"),
        Column("credential", lambda step: step[1].credential),
        Column("changes", changed),
    ]


def credentials(out: Output) -> list[Column[api.NamedCredential]]:
    return [
        Column("credential", lambda one: one.name, style=lambda _: "bold"),
        Column("asks as", lambda one: one.kind),
        Column("used by", lambda one: one.used_by, right=True),
        Column("added", lambda one: one.added_at, shown=lambda one: f"{out.age(one.added_at)} ago"),
    ]


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


def links(out: Output) -> list[Column[api.LinkChange]]:
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
        Column("speed", lambda one: one.speed_bps, shown=lambda one: speed(one.speed_bps), right=True),
        Column("present", lambda one: one.present, right=True),
        Column("quiet", lambda one: one.quiet, right=True),
        Column("leads to", lambda one: one.leads_to, shown=lambda one: _leads(one.leads_to)),
        Column("label", lambda one: one.alias),
        Column("role", lambda one: one.role),
        Column("because", lambda one: one.role_why),
    ]


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


def hops() -> list[Column[api.Hop]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port),
        Column("leads to", lambda one: one.leads_to),
        Column("learned there", lambda one: one.heard),
        Column("why", lambda one: one.why),
    ]


def ip_stays(out: Output) -> list[Column[api.IpStay]]:
    return [
        Column("ip", lambda one: one.ip, style=lambda _: "bold"),
        Column("name", lambda one: one.names),
        Column("told by", lambda one: one.source),
        Column("since", lambda one: one.began_at, shown=lambda one: out.age(one.began_at)),
        Column("ended", lambda one: one.ended_at),
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


def rounds(out: Output) -> list[Column[api.Round]]:
    return [
        Column("round", lambda one: one.id, right=True, style=lambda _: "bold"),
        Column(
            "state", lambda one: one.state, style=lambda one: "green" if one.state == "done" else "yellow"
        ),
        Column("began", lambda one: one.began_at, shown=lambda one: f"{out.age(one.began_at)} ago"),
        Column("wanted", lambda one: one.wanted, right=True),
        Column("read well", lambda one: one.well, right=True),
        Column("failed", lambda one: len(one.failed), right=True),
        Column("left", lambda one: len(one.left), right=True),
    ]


def sites() -> list[Column[api.Site]]:
    return [
        Column("site", lambda one: one.name, style=lambda _: "bold"),
        Column("switches", lambda one: one.switches, right=True),
        Column(
            "at once", lambda one: one.at_once, shown=lambda one: str(one.at_once or "no limit"), right=True
        ),
    ]


def groups() -> list[Column[api.Group]]:
    return [
        Column("group", lambda one: one.name, style=lambda _: "bold"),
        Column("switches", lambda one: one.switches, right=True),
        Column("hold", lambda one: one.hold_s, shown=lambda one: f"{one.hold_s} s" if one.hold_s else ""),
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


def makers() -> list[Column[api.Maker]]:
    return [
        Column("prefix", lambda one: one.prefix, style=lambda _: "bold"),
        Column("maker", lambda one: one.maker),
    ]


def _leads(names: list[str]) -> str:
    """The next switch, and how many more are behind it."""
    return names[0] + (f" and {len(names) - 1} more" if len(names) > 1 else "") if names else ""


def _address(one: api.Switch) -> str:
    return {"snmp": f"{one.host}:{one.port}", "linux": f"bridge {one.host}"}.get(one.source, one.source)


def _next_try(out: Output) -> Callable[[api.Switch], str]:
    def shown(one: api.Switch) -> str:
        if one.next_try_at is None or one.health in _WELL:
            return ""
        return f"in {out.until(one.next_try_at)}"

    return shown


def _place_vlan(place: api.Place | None) -> str:
    return "" if place is None else vlan_text(place.vlan, place.vlan_name)


def _age(out: Output, place: api.Place | None, name: str) -> str:
    return "" if place is None else out.age(getattr(place, name))


def _ago(out: Output, place: api.Place | None, name: str) -> str:
    return "" if place is None else f"{out.age(getattr(place, name))} ago"
