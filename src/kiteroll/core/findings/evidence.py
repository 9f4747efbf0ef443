"""What a finding rests on, as values. `kiteroll.wording.findings` makes sentences of them."""

from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Place


@dataclass(frozen=True, slots=True)
class Learned:
    at: datetime
    place: Place


@dataclass(frozen=True, slots=True)
class Left:
    """No longer learned there."""

    at: datetime
    place: Place


@dataclass(frozen=True, slots=True)
class StillAtBoth:
    """Present at both places for longer than an entry lingers after a move."""

    at: datetime


@dataclass(frozen=True, slots=True)
class Jumped:
    at: datetime
    mac: MacAddress
    switch: str
    from_port: str
    to_port: str


@dataclass(frozen=True, slots=True)
class LinkChanged:
    """The link of a port went up or down (ifLastChange)."""

    at: datetime
    port: PortRef


@dataclass(frozen=True, slots=True)
class LinkSteady:
    """The link has not changed since."""

    at: datetime
    port: PortRef


@dataclass(frozen=True, slots=True)
class IpAnswered:
    """A router's neighbour cache shows the IP with this address."""

    at: datetime
    ip: str
    mac: MacAddress


@dataclass(frozen=True, slots=True)
class IpHeld:
    """The IP began to answer with the address in question, by one source."""

    at: datetime
    ip: str
    names: tuple[str, ...]
    source: str


@dataclass(frozen=True, slots=True)
class PresentTogether:
    at: datetime
    macs: tuple[MacAddress, ...]
    """The first few."""
    count: int


@dataclass(frozen=True, slots=True)
class NotOnRoll:
    at: datetime
    vlan: int | None
    entries: int
    """How many the roll has."""


@dataclass(frozen=True, slots=True)
class EnrolledAt:
    """Whose roll has the address; `vlan`: the one it is enrolled in, if it is one."""

    at: datetime
    level: str
    vlan: int | None


@dataclass(frozen=True, slots=True)
class InOtherVlan:
    """Present in a VLAN that the rule does not expect."""

    at: datetime
    mac: MacAddress
    vlan: int
    expected: str


@dataclass(frozen=True, slots=True)
class PresentAt:
    at: datetime
    port: PortRef


@dataclass(frozen=True, slots=True)
class EntryExpires:
    """An entry of a roll authorises nobody from `expires_at` on."""

    at: datetime
    entry: str
    level: str
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class ManyJumped:
    at: datetime
    count: int
    ports: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ManyMoved:
    """Addresses that went from one port to the same other one."""

    at: datetime
    count: int
    origin: PortRef
    target: PortRef


@dataclass(frozen=True, slots=True)
class PathsChanged:
    """Addresses that the switch learned at another uplink."""

    at: datetime
    switch: str
    from_port: str
    to_port: str
    count: int


@dataclass(frozen=True, slots=True)
class OtherIdentity:
    """The switch reports another bridge address than before (dot1dBaseBridgeAddress)."""

    at: datetime
    before: MacAddress
    after: MacAddress


@dataclass(frozen=True, slots=True)
class PortsRenamed:
    """Ports of these names are not there any more, and their addresses are at others."""

    at: datetime
    count: int
    """Addresses."""
    names: tuple[tuple[str, str], ...]
    """The first few: before, and now."""


@dataclass(frozen=True, slots=True)
class TopologyChanged:
    """The count of spanning-tree changes rose (dot1dStpTopChanges)."""

    at: datetime


@dataclass(frozen=True, slots=True)
class NewAddresses:
    at: datetime
    count: int


@dataclass(frozen=True, slots=True)
class ClaimsUplink:
    """What makes a port look like an uplink (kiteroll.core.topology.roles.RoleEvidence), and of which
    switches."""

    at: datetime
    evidence: str
    names: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class NoAddress:
    """No address learned since; `ever`: one was before."""

    at: datetime
    ever: bool


@dataclass(frozen=True, slots=True)
class WatchedSince:
    """Its switch has been read since then without a gap in which an address could come and go unseen."""

    at: datetime


@dataclass(frozen=True, slots=True)
class TableUse:
    at: datetime
    present: int
    size: int | None


@dataclass(frozen=True, slots=True)
class DiscardsRose:
    """Addresses could not be learned for lack of room (dot1dTpLearnedEntryDiscards)."""

    at: datetime


@dataclass(frozen=True, slots=True)
class NotRead:
    at: datetime
    health: str
    error: str


@dataclass(frozen=True, slots=True)
class ServiceNoted:
    """A part of the service fails since then."""

    at: datetime
    name: str
    error: str


@dataclass(frozen=True, slots=True)
class Started:
    """The switch started, with an empty table."""

    at: datetime


Evidence = (
    Learned
    | Left
    | StillAtBoth
    | Jumped
    | LinkChanged
    | LinkSteady
    | IpAnswered
    | IpHeld
    | PresentTogether
    | NotOnRoll
    | EnrolledAt
    | InOtherVlan
    | PresentAt
    | EntryExpires
    | ManyJumped
    | ManyMoved
    | PathsChanged
    | OtherIdentity
    | PortsRenamed
    | TopologyChanged
    | NewAddresses
    | ClaimsUplink
    | NoAddress
    | WatchedSince
    | TableUse
    | DiscardsRose
    | NotRead
    | ServiceNoted
    | Started
)


def in_order(evidence: "tuple[Evidence, ...] | list[Evidence]") -> tuple[Evidence, ...]:
    """By time; what happened at once by kind and content, so that the order is always the same."""
    return tuple(sorted(evidence, key=lambda one: (one.at, type(one).__name__, str(one))))
