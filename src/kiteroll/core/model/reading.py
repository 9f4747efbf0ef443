"""A reading: what one switch reported at one instant. Immutable, complete or partial."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading_parts import (
    Device,
    Entry,
    Gap,
    Neighbour,
    Oper,
    Port,
    Status,
    Vlan,
)
from kiteroll.core.model.uptime import counted_back

__all__ = [
    "IP_TABLES",
    "MAC_BITS",
    "MAC_MASK",
    "NO_PORT",
    "NO_VLAN",
    "Device",
    "Entry",
    "Gap",
    "Neighbour",
    "Oper",
    "Port",
    "Reading",
    "Status",
    "Vlan",
    "key_of",
    "mac_of",
    "vlan_of",
]

MAC_BITS = 48
MAC_MASK = (1 << MAC_BITS) - 1
IP_TABLES = ("ipNetToMediaTable", "ipNetToPhysicalTable")
"""Neighbour caches a gap may name (IP-MIB, RFC 4293)."""
_PORT_TABLES = frozenset({"system", "ifTable", "ifXTable", "document"})
NO_PORT = 0
"""Port number 0: the switch knows the address but not the port (BRIDGE-MIB, dot1dTpFdbPort)."""
NO_VLAN = 0
"""In packed keys, VLAN 0 stands for "not known"; VLAN ids proper are 1..4094 (IEEE 802.1Q)."""


def key_of(mac: int, vlan: int | None) -> int:
    """Pack (VLAN, address) into one integer: the key of an address in one switch's table."""
    return (vlan or NO_VLAN) << MAC_BITS | mac


def mac_of(key: int) -> MacAddress:
    return MacAddress(key & MAC_MASK)


def vlan_of(key: int) -> int | None:
    return key >> MAC_BITS or None


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    switch: str
    """The name the switch has in the inventory, or the address it was probed at."""
    taken_at: datetime
    """The instant its tables were asked for (start of the walk), aware UTC."""
    duration: timedelta = timedelta(0)
    device: Device = field(default_factory=Device)
    ports: tuple[Port, ...] = ()
    vlans: tuple[Vlan, ...] = ()
    learned: Mapping[int, int] = field(default_factory=dict)
    """Learned addresses: `key_of(mac, vlan)` to port number (ifIndex). Packed because tables are
    compared whole: two dicts of ints are compared at C speed."""
    others: tuple[Entry, ...] = ()
    """Rows that are no endpoint at a port: static, self, other, or learned without a port."""
    gaps: tuple[Gap, ...] = ()
    neighbours: tuple[Neighbour, ...] = ()
    addresses: Mapping[str, MacAddress] = field(default_factory=dict)
    """Its neighbour cache: IP address as text to the MAC address it answers with."""

    def __post_init__(self) -> None:
        if self.taken_at.utcoffset() != timedelta(0):
            raise ValueError(f"taken_at must be aware UTC, not {self.taken_at!r}")
        numbers = {port.number for port in self.ports}
        if len({port.name for port in self.ports}) != len(self.ports) or len(numbers) != len(self.ports):
            raise ValueError("port names and numbers must each be unique in a reading")
        if not numbers.issuperset(self.learned.values()):
            raise ValueError("every learned address must be at one of the reading's ports")
        for wrong in self._out_of_bounds():
            raise Invalid(f"the reading of {self.switch[: bounds.SWITCH_NAME]}: {wrong}")

    def _out_of_bounds(self) -> Iterator[str]:
        """What it holds that no switch can report or no record keep."""
        yield from bounds.text("switch", self.switch, bounds.SWITCH_NAME)
        yield from bounds.instant("taken_at", self.taken_at)
        if not timedelta(0) <= self.duration <= timedelta(days=1):
            yield f"duration: {self.duration}, 0 s to one day are possible"
        yield from bounds.device(self.device)
        for what, listed, most in (
            ("ports", self.ports, bounds.PORTS),
            ("vlans", self.vlans, bounds.VLAN),
            ("learned addresses", self.learned, bounds.ROWS),
            ("other rows", self.others, bounds.ROWS),
            ("neighbours", self.neighbours, bounds.NEIGHBOURS),
            ("addresses", self.addresses, bounds.ROWS),
            ("gaps", self.gaps, bounds.GAPS),
        ):
            yield from bounds.count(what, listed, most)
        for port in self.ports:
            yield from bounds.port(port)
        for vlan in self.vlans:
            yield from bounds.number("vlan", vlan.id, 1, bounds.VLAN)
            yield from bounds.text(f"name of VLAN {vlan.id}", vlan.name)
        yield from bounds.number(
            "VLAN of a learned address", max(self.learned, default=0) >> MAC_BITS, 0, bounds.VLAN
        )
        for entry in self.others:
            yield from bounds.number(f"VLAN of {entry.mac}", entry.vlan, 1, bounds.VLAN)
        for neighbour in self.neighbours:
            yield from bounds.neighbour(neighbour)
        longest = max(self.addresses, key=len, default="")
        yield from bounds.text("an IP address", longest, bounds.IP_TEXT)
        for gap in self.gaps:
            yield from bounds.text("table of a gap", gap.table)
            yield from bounds.text(f"reason of the gap in {gap.table}", gap.why, bounds.WHY)
            yield from bounds.number(f"rows of the gap in {gap.table}", gap.rows, 0, bounds.INDEX)

    @property
    def complete(self) -> bool:
        """Whether an address missing from it is really missing from the switch's table."""
        return not any(gap.breaks for gap in self.gaps)

    @property
    def ports_complete(self) -> bool:
        """Whether its interfaces were read whole, whatever is missing of the table."""
        return not any(gap.breaks and gap.table in _PORT_TABLES for gap in self.gaps)

    def changed_at(self, port: Port) -> datetime | None:
        """When the port last went up or down."""
        now_ticks = self.device.uptime_ticks
        if now_ticks is None or port.changed_ticks is None:
            return None
        return counted_back(port.changed_ticks, now_ticks, self.taken_at)

    def port_names(self) -> dict[int, str]:
        return {port.number: port.name for port in self.ports}

    def entries(self) -> Iterator[Entry]:
        """Every row, learned ones first, in order of VLAN and address."""
        names = self.port_names()
        for key in sorted(self.learned):
            port = names.get(self.learned[key])
            yield Entry(mac=mac_of(key), vlan=vlan_of(key), port=port, status=Status.LEARNED)
        yield from self.other_entries()

    def other_entries(self) -> list[Entry]:
        """Rows that stand for no endpoint, in order of VLAN and address."""
        return sorted(self.others, key=lambda entry: (entry.vlan or 0, entry.mac))
