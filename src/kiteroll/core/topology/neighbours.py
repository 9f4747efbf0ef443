"""Which switch of the inventory an LLDP neighbour is. Decided here for the service and for replays."""

from collections import defaultdict
from collections.abc import Collection, Container, Iterable
from dataclasses import dataclass

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Neighbour

_BRIDGE = "bridge"
_END_DEVICES = frozenset({"phone", "station", "access point"})
SHUT_STATES = frozenset({"blocking", "discarding", "disabled", "broken"})
"""dot1dStpPortState values of a port that may forward nothing (RFC 4188; 802.1Q clause 13)."""
FORWARDING = "forwarding"
_SWITCHED_OFF = "disabled"


def is_switch(capabilities: Collection[str]) -> bool:
    """Whether a neighbour announces itself as a switch. A phone, a host or an access point often says that it
    bridges as well (IEEE 802.1AB 8.5.8): it is an end device all the same."""
    return _BRIDGE in capabilities and not _END_DEVICES.intersection(capabilities)


def shut_ports(states: Iterable[tuple[PortRef, str]], forwarding: Container[str]) -> frozenset[PortRef]:
    """Ports that spanning tree keeps shut. `forwarding`: switches with a port that forwards; where none does,
    "disabled" says that spanning tree is off, and shuts nothing."""
    return frozenset(
        port
        for port, state in states
        if state in SHUT_STATES and (state != _SWITCHED_OFF or port[0] in forwarding)
    )


def _short(name: str) -> str:
    """A host's name without that of its domain; empty for what is none, such as an IP address."""
    label = name.casefold().partition(".")[0]
    return "" if label.isdecimal() or ":" in label else label


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchIdentity:
    """By what a neighbour can recognise a switch."""

    name: str
    host: str = ""
    sys_name: str = ""
    bridge_address: MacAddress | None = None
    area: str = ""


def names_by_address(switches: Iterable[tuple[str, MacAddress]]) -> dict[MacAddress, list[str]]:
    """For each bridge address, the names of all switches that report it."""
    found: dict[MacAddress, list[str]] = defaultdict(list)
    for name, address in switches:
        found[address].append(name)
    return found


def listed_twice(switches: Iterable[tuple[str, MacAddress]]) -> dict[str, str]:
    """Entries of the inventory with one bridge address: one device, whose table is read several times. By
    name, each with what they have in common."""
    return {
        name: f"bridge address {address}"
        for address, names in names_by_address(switches).items()
        if len(names) > 1
        for name in names
    }


class KnownSwitches:
    """Matches what a neighbour announces to the inventory: its chassis address first, names last. Names of
    hosts are the same in any case (RFC 4343), and with the name of their domain or without. One of the same
    area comes first; of another area, a switch is known by its chassis address alone, for what is built alike
    has the same names and private addresses."""

    def __init__(self, switches: Iterable[SwitchIdentity]) -> None:
        self._by_mac: dict[tuple[str, MacAddress], str] = {}
        self._anywhere: dict[MacAddress, str] = {}
        self._by_text: dict[tuple[str, str], str] = {}
        self._by_short_name: dict[tuple[str, str], set[str]] = defaultdict(set)
        for one in switches:
            area = one.area
            if one.bridge_address is not None:
                self._by_mac[area, one.bridge_address] = one.name
                self._anywhere[one.bridge_address] = one.name
            for text in (one.sys_name, one.name, one.host):
                if text:
                    self._by_text.setdefault((area, text.casefold()), one.name)
            for text in (one.sys_name, one.name):
                self._by_short_name[area, _short(text)].add(one.name)

    def match(
        self, chassis: MacAddress | None, addresses: Iterable[str], name: str, area: str = ""
    ) -> str | None:
        """The switch's name in the inventory; None when it is none of them. `addresses` are the
        management addresses it announces (lldpRemManAddr); `area`: of the switch that hears it."""
        if chassis is not None and (area, chassis) in self._by_mac:
            return self._by_mac[area, chassis]
        if chassis is not None and chassis in self._anywhere:
            return self._anywhere[chassis]
        for text in (*addresses, name):
            if (known := self._by_text.get((area, text.casefold()))) is not None:
                return known
        short = _short(name)
        same = self._by_short_name.get((area, short), ())
        return next(iter(same)) if short and len(same) == 1 else None

    def match_neighbour(self, neighbour: Neighbour, area: str = "") -> str | None:
        return self.match(neighbour.chassis_mac, neighbour.addresses, neighbour.name, area)
