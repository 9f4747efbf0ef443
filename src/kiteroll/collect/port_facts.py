"""Port attributes beside names: VLANs, bundles, duplex, spanning tree."""

from collections import defaultdict
from collections.abc import Mapping

from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import index_number, number, octets, physical_address
from kiteroll.core.model import bounds
from kiteroll.snmp import mib

_DUPLEX = {2: "half", 3: "full"}
_SPANNING_TREE = {1: "disabled", 2: "blocking", 3: "listening", 4: "learning", 5: "forwarding", 6: "broken"}


class PortFacts:
    """Answers by ifIndex. `bridge_ports`: bridge port number to ifIndex."""

    def __init__(self, raw: RawSwitch, bridge_ports: Mapping[int, int]) -> None:
        self.default_vlans = {
            interface: vlan
            for interface, vlan in _by_interface(raw, mib.DOT1Q_PVID, bridge_ports).items()
            if 1 <= vlan <= bounds.VLAN
        }
        self.spanning_tree = {
            interface: _SPANNING_TREE.get(state, "")
            for interface, state in _by_interface(raw, mib.DOT1D_STP_PORT_STATE, bridge_ports).items()
        }
        self.duplex = {
            interface: _DUPLEX.get(number(value) or 0, "")
            for index, value in raw.column(mib.DOT3_STATS_DUPLEX_STATUS).items()
            if (interface := index_number(index))
        }
        self.aggregates = {
            interface: aggregate
            for index, value in raw.column(mib.DOT3AD_AGG_PORT_ATTACHED).items()
            if (interface := index_number(index)) and (aggregate := number(value)) and aggregate != interface
        }
        keys = raw.column(mib.DOT3AD_AGG_PORT_PARTNER_KEY)
        self.partners = {
            interface: f"{system}/{number(keys.get(index)) or 0}"
            for index, value in raw.column(mib.DOT3AD_AGG_PORT_PARTNER_SYSTEM).items()
            if (interface := index_number(index)) and (system := physical_address(value))
        }
        """Which device is at the far end of a bundled port, and which bundle of that (IEEE 802.1AX 6.3.2)."""
        self.tagged: dict[int, set[int]] = defaultdict(set)
        self.untagged: dict[int, set[int]] = defaultdict(set)
        untagged_rows = raw.column(mib.DOT1Q_VLAN_STATIC_UNTAGGED_PORTS)
        for index, value in raw.column(mib.DOT1Q_VLAN_STATIC_EGRESS_PORTS).items():
            vlan = index_number(index)
            if vlan is None or not 1 <= vlan <= bounds.VLAN:
                continue
            without_tag = _ports_in(octets(untagged_rows.get(index)))
            for bridge_port in _ports_in(octets(value)):
                if interface := bridge_ports.get(bridge_port):
                    (self.untagged if bridge_port in without_tag else self.tagged)[interface].add(vlan)


def _by_interface(raw: RawSwitch, column: tuple[int, ...], bridge_ports: Mapping[int, int]) -> dict[int, int]:
    found = {}
    for index, value in raw.column(column).items():
        interface = bridge_ports.get(index_number(index) or 0)
        code = number(value)
        if interface and code is not None:
            found[interface] = code
    return found


def _ports_in(port_list: bytes) -> set[int]:
    """PortList (RFC 4363 section 5): bridge port 1 is the highest bit of the first octet."""
    return {
        at * 8 + bit + 1
        for at, octet in enumerate(port_list)
        if octet
        for bit in range(8)
        if octet & 0x80 >> bit
    }
