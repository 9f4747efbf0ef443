"""Counts, lists, spans of time and speeds in words."""

from collections.abc import Sequence
from datetime import timedelta

from kiteroll.core.model.port_ref import PortRef


def counted(count: int, singular: str, plural: str = "") -> str:
    """1 seat, 2 seats."""
    return f"{count} {singular if count == 1 else plural or singular + 's'}"


def span(value: timedelta) -> str:
    """90 s, 5 min, 3 h, 2 days: rounded, in the largest unit that keeps at least two of them."""
    seconds = round(value.total_seconds())
    for size, unit in ((86400, "days"), (3600, "h"), (60, "min")):
        if seconds >= 2 * size:
            return f"{seconds // size} {unit}"
    return f"{seconds} s"


def port_name(port: PortRef) -> str:
    return f"{port[0]} port {port[1]}"


def joined(parts: Sequence[str]) -> str:
    """a, b and c."""
    if len(parts) < 2:
        return "".join(parts)
    return f"{', '.join(parts[:-1])} and {parts[-1]}"


def first_of(names: Sequence[str], most: int = 1) -> str:
    """The first few names, and how many more there are."""
    if len(names) <= most:
        return joined(names)
    return f"{', '.join(names[:most])} and {len(names) - most} more"


def speed_text(bps: int | None) -> str:
    """A speed as people say it, "100 Mb/s"; empty when it is not known. `bps`: bits a second."""
    if bps is None:
        return ""
    for unit, size in (("Gb/s", 10**9), ("Mb/s", 10**6), ("kb/s", 10**3)):
        if bps >= size:
            return f"{bps / size:g} {unit}"
    return f"{bps} b/s"


def vlan_text(vlan: int | None) -> str:
    """As it stands behind a place: " in VLAN 10"; empty where there is none."""
    return f" in VLAN {vlan}" if vlan else ""


def table_use(present: int, size: int | None) -> str:
    """How much of a MAC address table is used, as far as its size is known."""
    return f"{present} of {size} addresses" if size else counted(present, "address", "addresses")
