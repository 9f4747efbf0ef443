"""What the parts of a reading may hold: what the standards allow, and no more than records can keep.

Checked once, where a reading is made, whoever made it: what the tracker takes over can be stored.
"""

import re
from collections.abc import Iterator, Sized
from datetime import datetime, timedelta

from kiteroll.core.model.reading_parts import Device, Neighbour, Port

SWITCH_NAME = 64
TEXT = 255
"""Characters of any text a switch reports: SnmpAdminString (RFC 3411), ifAlias and the like hold no more."""
IP_TEXT = 45
"""Characters of an IPv6 address, in its longest form."""
PARTNER = len("aa:bb:cc:dd:ee:ff/65535")
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
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f]")


def device(device: Device) -> Iterator[str]:
    for what in ("name", "description", "location", "contact", "model", "serial", "software"):
        yield from text(f"{what} of the device", getattr(device, what))
    for what in ("uptime_ticks", "topology_changes", "learning_discards"):
        yield from number(f"{what} of the device", getattr(device, what), 0, COUNTER)
    if device.ageing is not None and not timedelta(0) < device.ageing <= AGEING:
        yield f"ageing time of {device.ageing}: up to {AGEING} is possible"
    yield from instant("topology_changed_at", device.topology_changed_at)


def port(port: Port) -> Iterator[str]:
    if not port.name:
        yield f"port number {port.number} has no name"
    yield from text("name of a port", port.name)
    what = f"of port {port.name[:TEXT]}"
    yield from number(f"number {what}", port.number, 1, INDEX)
    yield from text(f"alias {what}", port.alias)
    yield from text(f"aggregate {what}", port.aggregate or "")
    yield from text(f"partner {what}", port.partner, PARTNER)
    yield from text(f"duplex {what}", port.duplex, WORD)
    yield from text(f"spanning tree {what}", port.spanning_tree, WORD)
    yield from number(f"speed {what}", port.speed_bps, 0, SPEED)
    yield from number(f"kind {what}", port.kind, 0, INDEX)
    yield from number(f"changed_ticks {what}", port.changed_ticks, 0, COUNTER)
    for vlans in ((port.default_vlan,) if port.default_vlan is not None else (), port.tagged, port.untagged):
        if vlans:
            yield from number(f"VLAN {what}", min(vlans), 1, VLAN)
            yield from number(f"VLAN {what}", max(vlans), 1, VLAN)


def neighbour(one: Neighbour) -> Iterator[str]:
    for what in ("port", "chassis", "port_id", "port_description", "name", "description"):
        yield from text(f"{what} of a neighbour", getattr(one, what))
    for what, listed in (("addresses", one.addresses), ("capabilities", one.capabilities)):
        yield from count(f"{what} of a neighbour", listed, LISTED)
        yield from text(f"{what} of a neighbour", max(listed, key=len, default=""))


def text(what: str, text: str, most: int = TEXT) -> Iterator[str]:
    if len(text) > most:
        yield f"{what} has {len(text)} characters; at most {most} are possible"
    if has_control_characters(text):
        yield f"{what} has control characters: {text[:most]!r}"


def has_control_characters(text: str) -> bool:
    """Whether a terminal would obey it instead of showing it. Tabs and line breaks are none of those."""
    return not text.isprintable() and _CONTROL.search(text) is not None


def number(what: str, number: int | None, least: int, most: int) -> Iterator[str]:
    if number is not None and not least <= number <= most:
        yield f"{what} is {number}; {least} to {most} are possible"


def count(what: str, listed: Sized, most: int) -> Iterator[str]:
    if len(listed) > most:
        yield f"{len(listed)} {what}; at most {most} are possible"


def instant(what: str, at: datetime | None) -> Iterator[str]:
    if at is not None and at.year not in YEARS:
        yield f"{what} is in the year {at.year}"
