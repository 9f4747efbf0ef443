"""What a reading is made of: the device, its ports, VLANs and neighbours, rows of its table, gaps."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress


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
    started, or is not reported. Kept as it came: an instant made of it would differ between readings."""
    aggregate: str | None = None
    """Name of the aggregate port it is bundled into (dot3adAggPortAttachedAggID)."""
    partner: str = ""
    """System id and key of the device at the far end of a bundled port, as aa:bb:cc:dd:ee:ff/7
    (dot3adAggPortPartnerOperSystemID, dot3adAggPortPartnerOperKey); empty when there is none."""
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
    """A device that announced itself at one of the ports (LLDP, IEEE 802.1AB)."""

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
    """dot1dTpAgingTime; None when the switch does not report it."""
    model: str = ""
    serial: str = ""
    software: str = ""
    """entPhysicalModelName, entPhysicalSerialNum, entPhysicalSoftwareRev of the chassis."""
    topology_changes: int | None = None
    """dot1dStpTopChanges: counts up since the start."""
    topology_changed_at: datetime | None = None
    learning_discards: int | None = None
    """dot1dTpLearnedEntryDiscards: addresses not learned because the table was full."""
