"""Columns of endpoints, their places, paths and IPs."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from kiteroll.cli.output import Column, Output, age

if TYPE_CHECKING:
    from kiteroll.schemas import api

_LIFE = {"present": "green", "quiet": "yellow", "gone": "dim"}


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
        Column("host name", lambda one: one.host_names),
        Column("switch", of("switch")),  # type: ignore[arg-type]
        Column("port", of("port")),  # type: ignore[arg-type]
        Column("vlan", of("vlan"), shown=lambda one: _place_vlan(place(one))),  # type: ignore[arg-type]
        Column("life", life, style=lambda one: _LIFE[life(one)]),
        Column("since", of("began_at"), shown=lambda one: _age(out, place(one), "began_at")),  # type: ignore[arg-type]
        Column("seen", of("seen_at"), shown=lambda one: _ago(out, place(one), "seen_at")),  # type: ignore[arg-type]
        Column("port label", of("port_alias")),  # type: ignore[arg-type]
        Column("confidence", lambda one: one.confidence),
        Column("label", lambda one: one.label),
        Column("maker", lambda one: one.maker or ("" if one.origin == "registry" else one.origin)),
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
        Column("ending", lambda one: one.ending or ""),
        Column("leads to", lambda one: one.leads_to, shown=leads),
    ]


def hops() -> list[Column[api.Hop]]:
    return [
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port),
        Column("leads to", lambda one: one.leads_to),
        Column("learned there", lambda one: one.learned),
        Column("why", lambda one: one.why),
    ]


def quiet_times() -> list[Column[api.QuietTime]]:
    return _times()


def reading_pauses() -> list[Column[api.ReadingPause]]:
    return _times()


def _times() -> list[Column[Any]]:
    """Of quiet times and of pauses of readings: both say from when until when, and where."""
    return [
        Column("from", lambda one: one.began_at),
        Column("until", lambda one: one.ended_at),
        Column("lasted", lambda one: age(one.ended_at - one.began_at) if one.ended_at else "ongoing"),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("vlan", lambda one: one.vlan),
    ]


def homes() -> list[Column[api.HomeInterval]]:
    return [
        Column("from", lambda one: one.since),
        Column("until", lambda one: one.until),
        Column("lasted", lambda one: age(one.until - one.since) if one.until else "ongoing"),
        Column("switch", lambda one: one.switch, style=lambda _: "bold"),
        Column("port", lambda one: one.port, style=lambda _: "bold"),
        Column("vlan", lambda one: one.vlan),
    ]


def ip_stays(out: Output) -> list[Column[api.IpStay]]:
    return [
        Column("ip", lambda one: one.ip, style=lambda _: "bold"),
        Column("host name", lambda one: one.host_names),
        Column("source", lambda one: one.source),
        Column("since", lambda one: one.began_at, shown=lambda one: out.age(one.began_at)),
        Column("ended", lambda one: one.ended_at),
    ]


def makers() -> list[Column[api.Maker]]:
    return [
        Column("prefix", lambda one: one.prefix, style=lambda _: "bold"),
        Column("maker", lambda one: one.maker),
    ]


def labels() -> list[Column[api.Label]]:
    return [
        Column("mac", lambda one: one.mac, style=lambda _: "bold"),
        Column("label", lambda one: one.label),
        Column("owner", lambda one: one.owner),
        Column("notes", lambda one: one.notes),
        Column("seen", lambda one: one.seen),
    ]


def label_differences() -> list[Column[api.LabelDifference]]:
    def summary(text: api.LabelText) -> str:
        return "; ".join(part for part in (text.label, text.owner, text.notes) if part)

    return [
        Column("mac", lambda one: one.mac, style=lambda _: "bold"),
        Column("before", lambda one: summary(one.before)),
        Column("after", lambda one: summary(one.after)),
    ]


def leads(one: api.Place | api.Port) -> str:
    """The next switch, and how many more are behind it."""
    names, count = one.leads_to, one.leads_to_count
    return names[0] + (f" and {count - 1} more" if count > 1 else "") if names else ""


def _place_vlan(place: api.Place | None) -> str:
    return "" if place is None else vlan_text(place.vlan, place.vlan_name)


def _age(out: Output, place: api.Place | None, name: str) -> str:
    return "" if place is None else out.age(getattr(place, name))


def _ago(out: Output, place: api.Place | None, name: str) -> str:
    return "" if place is None else f"{out.age(getattr(place, name))} ago"
