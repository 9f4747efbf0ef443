"""Who is present on a port beside who may be: one by one, or in numbers."""

from collections.abc import Collection, Mapping, Set
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.policy.port_rules import PortRule, RollStatus
from kiteroll.core.policy.roll import Enrolled

_BREAKING = frozenset({RollStatus.STRANGER, RollStatus.OUT_OF_PLACE, RollStatus.BARRED})
"""What nobody may be on a port."""


class NotCounted:
    """Addresses that are no endpoints: those of known switches, and those that several devices share."""

    __slots__ = ("_shared", "_switches")

    def __init__(self, switches: Collection[MacAddress] = (), shared: Collection[str] = ()) -> None:
        """`shared`: the operator's list of shared addresses, as hex digits."""
        self._switches = frozenset(switches)
        self._shared = tuple(shared)

    def __contains__(self, mac: int) -> bool:
        return mac in self._switches or is_shared(mac, self._shared)

    def among(self, macs: Set[int]) -> set[int]:
        """Those of many that are not counted."""
        return {mac for mac in macs if mac in self._switches or is_shared(mac, self._shared)}

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, NotCounted)
            and self._switches == other._switches
            and self._shared == other._shared
        )

    __hash__ = None  # type: ignore[assignment]  # compared, never a key


@dataclass(frozen=True, slots=True)
class Occupant:
    mac: MacAddress
    vlan: int | None
    status: RollStatus
    unexpected_vlan: bool = False
    """Whether the rule expects nobody in this VLAN."""


@dataclass(frozen=True, slots=True)
class PortOccupancy:
    """One port: its rule, and the endpoints present there."""

    port: PortRef
    rule: PortRule
    exempt: bool
    """Uplinks are: their addresses are at home elsewhere."""
    occupants: tuple[Occupant, ...]
    """In order of VLAN and address. Addresses that are not counted are left out."""
    newcomers: frozenset[MacAddress] = frozenset()
    """Of those, the ones that were learned within the last ageing time."""

    @property
    def macs(self) -> list[MacAddress]:
        """Present addresses; one in two VLANs counts once."""
        return sorted({one.mac for one in self.occupants})

    @property
    def overfull(self) -> bool:
        return not self.exempt and self.rule.overfull(len(self.macs))

    @property
    def surely_overfull(self) -> bool:
        """Whether nobody who left can be among them. A switch holds an address for one ageing time after it
        was heard last: who came within that may have taken the place of another."""
        came = len(self.newcomers)
        return self.overfull and (not came or self.rule.overfull(came))

    @property
    def room(self) -> int | None:
        """Seats left; None without a limit, and where it does not hold."""
        return None if self.exempt else self.rule.room(len(self.macs))

    def of_status(self, status: RollStatus) -> tuple[Occupant, ...]:
        return tuple(one for one in self.occupants if one.status is status)

    @property
    def in_other_vlans(self) -> tuple[Occupant, ...]:
        """Those in a VLAN that is not expected."""
        return tuple(one for one in self.occupants if one.unexpected_vlan)

    @property
    def broken(self) -> bool:
        """Whether anything here breaks a rule. Who is barred only passes by at an exempt port."""
        return not self.exempt and self.breaks_something

    @property
    def breaks_something(self) -> bool:
        """The same, also where who is barred only passes by."""
        return self.overfull or any(one.status in _BREAKING or one.unexpected_vlan for one in self.occupants)

    def absent(self, now: datetime) -> list[Enrolled]:
        """Whole addresses enrolled at the port itself that are not present, and have not expired."""
        present = {mac.digits for mac in self.macs} if self.rule.own_roll else set()
        return [
            entry
            for entry in self.rule.own_roll
            if entry.is_address and entry.prefix not in present and not entry.expired(now)
        ]


@dataclass(frozen=True, slots=True)
class PortCounts:
    """One port: its rule, and who is there by status."""

    rule: PortRule
    exempt: bool
    by_status: Mapping[RollStatus, Set[int]]
    present: int
    """Different addresses: one may have another status in another VLAN."""
    other_vlan: bool
    """Whether anybody is in a VLAN that is not expected."""

    @property
    def overfull(self) -> bool:
        return not self.exempt and self.rule.overfull(self.present)

    @property
    def broken(self) -> bool:
        """As `PortOccupancy` has it; the same for the next."""
        return not self.exempt and self.breaks_something

    @property
    def breaks_something(self) -> bool:
        return self.other_vlan or not _BREAKING.isdisjoint(self.by_status) or self.overfull

    def absent(self, now: datetime) -> int:
        """Whole addresses enrolled at the port itself that are not present."""
        here = (
            {f"{mac:012x}" for macs in self.by_status.values() for mac in macs} if self.rule.own_roll else ()
        )
        return len(
            {
                entry.prefix
                for entry in self.rule.own_roll
                if entry.is_address and entry.prefix not in here and not entry.expired(now)
            }
        )
