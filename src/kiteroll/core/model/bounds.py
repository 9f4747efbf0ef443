"""What the parts of a reading may hold: what the standards allow, and no more than records can keep.

Checked once, where a reading is made, whoever made it: what the tracker takes over can be stored.
"""

from collections.abc import Iterator, Sized
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    from kiteroll.core.model.reading import Device, Neighbour, Port, Reading

SWITCH_NAME = 64
TEXT = 255
"""Characters of any text a switch tells: SnmpAdminString (RFC 3411), ifAlias and the like hold no more."""
IP_TEXT = 45
"""Characters of an IPv6 address, in its longest form."""
WORD = 12
"""Characters of a word of ours, such as a state of the spanning tree."""
WHY = 1000
"""Characters of the reason for a gap."""
INDEX = 2**31 - 1
"""InterfaceIndex, ifType (RFC 2863)."""
COUNTER = 2**32 - 1
"""Counter32, TimeTicks, Unsigned32 (RFC 2578)."""
SPEED = 2**32 * 10**6
"""Bits a second: ifHighSpeed counts millions."""
AGEING = timedelta(seconds=1_000_000)
"""dot1dTpAgingTime (RFC 4188)."""
VLAN = 4094
PORTS = 20_000
NEIGHBOURS = 20_000
ROWS = 1_000_000
"""Rows of a MAC address table, or of a neighbour cache."""
LISTED = 64
"""Addresses or capabilities of one neighbour."""
GAPS = 10_000
YEARS = range(1970, 3000)
_MAC_BITS = 48


def check(reading: "Reading") -> None:
    """Raises Invalid, naming what is out of bounds, what it is, and what is allowed."""
    for wrong in _violations(reading):
        raise Invalid(f"the reading of {reading.switch[:SWITCH_NAME]}: {wrong}")


def _violations(reading: "Reading") -> Iterator[str]:
    yield from _text("switch", reading.switch, SWITCH_NAME)
    yield from _instant("taken_at", reading.taken_at)
    if not timedelta(0) <= reading.duration <= timedelta(days=1):
        yield f"duration: {reading.duration}, 0 s to one day are possible"
    yield from _device(reading.device)
    for what, listed, most in (
        ("ports", reading.ports, PORTS),
        ("vlans", reading.vlans, VLAN),
        ("learned addresses", reading.learned, ROWS),
        ("other rows", reading.others, ROWS),
        ("neighbours", reading.neighbours, NEIGHBOURS),
        ("addresses", reading.addresses, ROWS),
        ("gaps", reading.gaps, GAPS),
    ):
        yield from _count(what, listed, most)
    for port in reading.ports:
        yield from _port(port)
    for vlan in reading.vlans:
        yield from _number("vlan", vlan.id, 1, VLAN)
        yield from _text(f"name of VLAN {vlan.id}", vlan.name)
    yield from _number("VLAN of a learned address", max(reading.learned, default=0) >> _MAC_BITS, 0, VLAN)
    for entry in reading.others:
        yield from _number(f"VLAN of {entry.mac}", entry.vlan, 1, VLAN)
    for neighbour in reading.neighbours:
        yield from _neighbour(neighbour)
    longest = max(reading.addresses, key=len, default="")
    yield from _text("an IP address", longest, IP_TEXT)
    for gap in reading.gaps:
        yield from _text("table of a gap", gap.table)
        yield from _text(f"reason of the gap in {gap.table}", gap.why, WHY)
        yield from _number(f"rows of the gap in {gap.table}", gap.rows, 0, INDEX)


def _device(device: "Device") -> Iterator[str]:
    for what in ("name", "description", "location", "contact", "model", "serial", "software"):
        yield from _text(f"{what} of the device", getattr(device, what))
    for what in ("uptime_ticks", "topology_changes", "learning_discards"):
        yield from _number(f"{what} of the device", getattr(device, what), 0, COUNTER)
    if device.ageing is not None and not timedelta(0) < device.ageing <= AGEING:
        yield f"ageing time of {device.ageing}: up to {AGEING} is possible"
    yield from _instant("topology_changed_at", device.topology_changed_at)


def _port(port: "Port") -> Iterator[str]:
    if not port.name:
        yield f"port number {port.number} has no name"
    yield from _text("name of a port", port.name)
    what = f"of port {port.name[:TEXT]}"
    yield from _number(f"number {what}", port.number, 1, INDEX)
    yield from _text(f"alias {what}", port.alias)
    yield from _text(f"aggregate {what}", port.aggregate or "")
    yield from _text(f"duplex {what}", port.duplex, WORD)
    yield from _text(f"spanning tree {what}", port.spanning_tree, WORD)
    yield from _number(f"speed {what}", port.speed_bps, 0, SPEED)
    yield from _number(f"kind {what}", port.kind, 0, INDEX)
    yield from _number(f"changed_ticks {what}", port.changed_ticks, 0, COUNTER)
    for vlans in ((port.default_vlan,) if port.default_vlan is not None else (), port.tagged, port.untagged):
        if vlans:
            yield from _number(f"VLAN {what}", min(vlans), 1, VLAN)
            yield from _number(f"VLAN {what}", max(vlans), 1, VLAN)


def _neighbour(one: "Neighbour") -> Iterator[str]:
    for what in ("port", "chassis", "port_id", "port_description", "name", "description"):
        yield from _text(f"{what} of a neighbour", getattr(one, what))
    for what, listed in (("addresses", one.addresses), ("capabilities", one.capabilities)):
        yield from _count(f"{what} of a neighbour", listed, LISTED)
        yield from _text(f"{what} of a neighbour", max(listed, key=len, default=""))


def _text(what: str, text: str, most: int = TEXT) -> Iterator[str]:
    if len(text) > most:
        yield f"{what} has {len(text)} characters; at most {most} are possible"


def _number(what: str, number: int | None, least: int, most: int) -> Iterator[str]:
    if number is not None and not least <= number <= most:
        yield f"{what} is {number}; {least} to {most} are possible"


def _count(what: str, listed: Sized, most: int) -> Iterator[str]:
    if len(listed) > most:
        yield f"{len(listed)} {what}; at most {most} are possible"


def _instant(what: str, at: datetime | None) -> Iterator[str]:
    if at is not None and at.year not in YEARS:
        yield f"{what} is in the year {at.year}"
