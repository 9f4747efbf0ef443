"""A reading: what one switch said at one instant. Immutable, complete or partial."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.model import bounds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.uptime import counted_back

MAC_BITS = 48
MAC_MASK = (1 << MAC_BITS) - 1
IP_TABLES = ("ipNetToMediaTable", "ipNetToPhysicalTable")
"""Neighbour caches a gap may name (IP-MIB, RFC 4293)."""
NO_PORT = 0
"""Port number 0: the switch knows the address but not the port (BRIDGE-MIB, dot1dTpFdbPort)."""
NO_VLAN = 0
"""In packed keys, VLAN 0 stands for "not known"; VLAN ids proper are 1..4094 (IEEE 802.1Q)."""


class Status(StrEnum):
    """How an address came into the table (dot1qTpFdbStatus, dot1dTpFdbStatus)."""

    LEARNED = "learned"
    STATIC = "static"
    """Configured by management (`mgmt`)."""
    SELF = "self"
    """One of the switch's own addresses."""
    OTHER = "other"


class Oper(StrEnum):
    """ifOperStatus (RFC 2863), as far as it matters for who can be behind a port."""

    UP = "up"
    DOWN = "down"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Port:
    number: int
    """ifIndex; may change when the switch restarts, the name should not."""
    name: str
    """ifName, else ifDescr; unique in a reading and never empty."""
    alias: str = ""
    """What the operator wrote on it (ifAlias)."""
    admin_up: bool = True
    oper: Oper = Oper.UNKNOWN
    speed_bps: int | None = None
    """Bits a second; None when not known."""
    address: MacAddress | None = None
    """ifPhysAddress: the switch's own address on this port."""
    bridged: bool = True
    """Whether it is a port of the bridge (dot1dBasePortTable), or only an interface."""
    kind: int | None = None
    """ifType, by its IANA number: 6 Ethernet, 161 aggregate, 53 virtual, ..."""
    duplex: str = ""
    """dot3StatsDuplexStatus: full, half, or empty when not known."""
    changed_ticks: int | None = None
    """sysUpTime when it last went up or down (ifLastChange); None when that was before the agent
    started, or is not told. Kept as told: an instant made of it would differ from reading to reading."""
    aggregate: str | None = None
    """Name of the aggregate port it is bundled into (dot3adAggPortAttachedAggID)."""
    default_vlan: int | None = None
    """VLAN of untagged frames that come in (dot1qPvid)."""
    tagged: frozenset[int] = frozenset()
    untagged: frozenset[int] = frozenset()
    """VLANs that go out with, and without, a tag."""
    spanning_tree: str = ""
    """dot1dStpPortState: forwarding, blocking, ...; empty when not known."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Vlan:
    id: int
    name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """A device that told of itself at one of the ports (LLDP, IEEE 802.1AB)."""

    port: str
    """Our port's name."""
    chassis: str
    """Chassis id: an address as aa:bb:cc:dd:ee:ff, else text."""
    chassis_mac: MacAddress | None = None
    port_id: str = ""
    port_description: str = ""
    name: str = ""
    description: str = ""
    addresses: tuple[str, ...] = ()
    """Management addresses."""
    capabilities: tuple[str, ...] = ()
    """Those in use: bridge, router, phone, station, ..."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Gap:
    """Something this reading does not hold, and why. `table` is a MIB object or table name."""

    table: str
    why: str
    rows: int = 0
    """Rows read before it broke off, or rows left out."""
    breaks: bool = True
    """True when rows may be missing because of it, so that absence must not count."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One row of a MAC address table, for people and documents."""

    mac: MacAddress
    vlan: int | None
    port: str | None
    """Interface name; None when the switch did not say which."""
    status: Status


@dataclass(frozen=True, slots=True, kw_only=True)
class Device:
    """What a switch says of itself (SNMPv2-MIB system group, BRIDGE-MIB dot1dBase)."""

    name: str = ""
    description: str = ""
    location: str = ""
    contact: str = ""
    uptime_ticks: int | None = None
    """sysUpTime: hundredths of a second, 0..2**32-1, wraps after about 497 days."""
    bridge_address: MacAddress | None = None
    ageing: timedelta | None = None
    """dot1dTpAgingTime; None when the switch does not tell."""
    model: str = ""
    serial: str = ""
    software: str = ""
    """entPhysicalModelName, entPhysicalSerialNum, entPhysicalSoftwareRev of the chassis."""
    topology_changes: int | None = None
    """dot1dStpTopChanges: counts up since the start."""
    topology_changed_at: datetime | None = None
    learning_discards: int | None = None
    """dot1dTpLearnedEntryDiscards: addresses not learned because the table was full."""


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
        bounds.check(self)

    @property
    def complete(self) -> bool:
        """Whether an address missing from it is really missing from the switch's table."""
        return not any(gap.breaks for gap in self.gaps)

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
        yield from sorted(self.others, key=lambda entry: (entry.vlan or 0, entry.mac))
