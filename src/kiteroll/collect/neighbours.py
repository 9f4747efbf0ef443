"""LLDP neighbours: rows of lldpRemTable to the neighbour at each port."""

import ipaddress
from collections import defaultdict
from collections.abc import Mapping

from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import arcs_of, number, octets, text
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Neighbour, Port
from kiteroll.snmp import ber, mib
from kiteroll.snmp.message import Value

_MAC_SUBTYPE = {"chassis": 4, "port": 3}
_ADDRESS_SUBTYPE = {"chassis": 5, "port": 4}
"""networkAddress: one octet of address family, then the address."""
_CAPABILITIES = ("other", "repeater", "bridge", "access point", "router", "phone", "cable device", "station")
"""Bits of LldpSystemCapabilitiesMap, highest first."""


def read_neighbours(
    raw: RawSwitch, ports: tuple[Port, ...], bridge_ports: Mapping[int, int]
) -> tuple[Neighbour, ...]:
    """In order of our port; rows whose port is not known are left out."""
    local = _LocalPorts(raw, ports, bridge_ports)
    addresses = _management_addresses(raw)
    found = []
    for index, chassis in sorted(raw.column(mib.LLDP_REM_CHASSIS_ID).items()):
        arcs = arcs_of(index)
        if arcs is None or len(arcs) != 3:
            continue
        port = local.name(arcs[1])
        if port is None:
            continue

        def of(column: ber.Oid, index: bytes = index) -> Value | None:
            return raw.column(column).get(index)

        chassis_text, chassis_mac = _identifier(chassis, of(mib.LLDP_REM_CHASSIS_ID_SUBTYPE), "chassis")
        port_text, _ = _identifier(of(mib.LLDP_REM_PORT_ID), of(mib.LLDP_REM_PORT_ID_SUBTYPE), "port")
        found.append(
            Neighbour(
                port=port,
                chassis=chassis_text,
                chassis_mac=chassis_mac,
                port_id=port_text,
                port_description=text(of(mib.LLDP_REM_PORT_DESC)),
                name=text(of(mib.LLDP_REM_SYS_NAME)),
                description=text(of(mib.LLDP_REM_SYS_DESC)),
                addresses=tuple(addresses.get(arcs[1:], ())),
                capabilities=_capabilities(octets(of(mib.LLDP_REM_SYS_CAP_ENABLED))),
            )
        )
    return tuple(found)


class _LocalPorts:
    """lldpRemLocalPortNum to a port's name. The number is the agent's own choice (IEEE 802.1AB 10.5),
    so the local port's id decides; only without one is the number taken as an interface's."""

    def __init__(self, raw: RawSwitch, ports: tuple[Port, ...], bridge_ports: Mapping[int, int]) -> None:
        self._ids = raw.column(mib.LLDP_LOC_PORT_ID)
        self._subtypes = raw.column(mib.LLDP_LOC_PORT_ID_SUBTYPE)
        self._names = {port.name for port in ports}
        self._by_number = {port.number: port.name for port in ports}
        # Looked up as text: what an agent calls a digit need not be one that can be converted.
        self._by_number_text = {str(port.number): port.name for port in ports}
        self._by_alias = {port.alias: port.name for port in ports if port.alias}
        self._by_address = {port.address: port.name for port in ports if port.address}
        self._bridge_ports = bridge_ports

    def name(self, local_port: int) -> str | None:
        index = ber.encode_arcs((local_port,))
        value = self._ids.get(index)
        port, mac = _identifier(value, self._subtypes.get(index), "port")
        if port in self._names:
            return port
        if port in self._by_alias:
            return self._by_alias[port]
        if mac is not None and mac in self._by_address:
            return self._by_address[mac]
        if (numbered := self._by_number_text.get(port)) is not None:
            return numbered
        if local_port in self._by_number:
            return self._by_number[local_port]
        return self._by_number.get(self._bridge_ports.get(local_port, 0))


def _identifier(value: Value | None, subtype: Value | None, kind: str) -> tuple[str, MacAddress | None]:
    """A chassis or port id as text, and as an address where it is one."""
    content = octets(value)
    code = number(subtype)
    if code == _MAC_SUBTYPE[kind] and len(content) == 6:
        mac = MacAddress.of_octets(content)
        return str(mac), mac
    if code == _ADDRESS_SUBTYPE[kind] and len(content) in (5, 17):
        return str(ipaddress.ip_address(content[1:])), None
    return text(value), None


def _management_addresses(raw: RawSwitch) -> dict[tuple[int, ...], list[str]]:
    """By (local port, neighbour's index). The address is in the row's index: family, length, octets."""
    found: dict[tuple[int, ...], list[str]] = defaultdict(list)
    for index in raw.column(mib.LLDP_REM_MAN_ADDR_IF_SUBTYPE):
        arcs = arcs_of(index)
        if arcs is None or len(arcs) < 6 or arcs[4] != len(arcs) - 5 or arcs[4] not in (4, 16):
            continue
        if max(arcs[5:]) <= 0xFF:
            found[arcs[1:3]].append(str(ipaddress.ip_address(bytes(arcs[5:]))))
    return found


def _capabilities(bits: bytes) -> tuple[str, ...]:
    return tuple(name for at, name in enumerate(_CAPABILITIES) if bits and bits[0] & 0x80 >> at)
