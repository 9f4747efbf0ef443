"""Objects of a simulated switch's agent, by the standard MIB modules and the switch's traits."""

import ipaddress
from collections.abc import Iterable, Mapping

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.mib_view import MibView, counter, gauge, integer, mac_octets, octets, ticks
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.traits import AGGREGATE_INDEX
from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Oid

_ETHERNET_CSMACD, _AGGREGATE = 6, 161
_LEARNED, _SELF = 3, 4
_UP, _DOWN = 1, 2
_FULL_DUPLEX = 3
_DISABLED, _BLOCKING, _FORWARDING = 1, 2, 5
"""dot1dStpPortState (RFC 4188)."""
_PARTNER, _PARTNER_KEY = MacAddress(0x021AF0FF0001), 7
"""The far end of a bundle, as LACP reports it."""
Objects = Iterable[tuple[Oid, bytes]]


def views(switch: LabSwitch, neighbours: Mapping[int, LabSwitch]) -> dict[str, MibView]:
    """By the community or context that shows it; "" is the agent's ordinary view. `neighbours`:
    the switch at the other end of each interface's cable."""
    found = {"": MibView(_objects(switch, neighbours, _rows(switch)))}
    if switch.traits.views:
        for vlan in switch.vlans:
            name = switch.traits.views.replace("{vlan}", str(vlan))
            found[name] = MibView(_vlan_view(switch, vlan))
    return found


def switch_objects(switch: LabSwitch, neighbours: Mapping[int, LabSwitch] | None = None) -> Objects:
    """Everything the ordinary view of the switch offers."""
    return _objects(switch, neighbours or {}, _rows(switch))


def _objects(
    switch: LabSwitch, neighbours: Mapping[int, LabSwitch], rows: dict[tuple[int, int], int]
) -> Objects:
    yield from _system(switch)
    yield from _interfaces(switch)
    yield from _bridge(switch)
    yield from _spanning_tree(switch)
    yield from _entity(switch)
    yield from _neighbours(switch, neighbours)
    yield from _neighbour_cache(switch)
    traits = switch.traits
    if traits.vlan_table:
        yield from _vlan_bridge(switch)
        yield from _vlan_fdb(switch, rows)
    if traits.old_table and not traits.views:
        yield from _old_fdb(switch, rows)


def _vlan_view(switch: LabSwitch, vlan: int) -> Objects:
    rows = {key: port for key, port in _rows(switch).items() if key[0] == vlan}
    yield from _system(switch)
    yield from _bridge(switch)
    yield from _old_fdb(switch, rows)


def _rows(switch: LabSwitch) -> dict[tuple[int, int], int]:
    """(VLAN, address) to interface, as its table has it."""
    rows = {}
    for key, row in switch.fdb.items():
        if not switch.ports[row.port].inner:
            rows[key] = AGGREGATE_INDEX if row.port in switch.traits.aggregate else row.port
    return rows


def _outer(switch: LabSwitch) -> list[LabPort]:
    return [port for port in switch.ports.values() if not port.inner]


def _bridge_port(switch: LabSwitch, interface: int) -> int:
    return 0 if interface in switch.traits.zero_ports else interface + switch.traits.bridge_port_offset


def _database(switch: LabSwitch, vlan: int) -> int:
    return switch.traits.shared_database or vlan + switch.traits.database_offset


def _system(switch: LabSwitch) -> Objects:
    yield mib.SYS_DESCR, octets(f"Simulated bridge, {len(_outer(switch))} ports")
    yield mib.SYS_OBJECT_ID, ber.encode(ber.OBJECT_IDENTIFIER, ber.encode_oid((0, 0)))
    yield mib.SYS_UP_TIME, ticks(0)
    yield mib.SYS_CONTACT, octets("network desk, Tarn Ferries")
    yield mib.SYS_NAME, octets(switch.name)
    yield mib.SYS_LOCATION, octets(switch.location)
    yield mib.SYS_SERVICES, integer(2)


def _interfaces(switch: LabSwitch) -> Objects:
    ports = _outer(switch)
    yield mib.IF_NUMBER, integer(len(ports))
    for port in ports:
        yield from _interface(switch, port, _ETHERNET_CSMACD)
        yield (*mib.DOT3_STATS_DUPLEX_STATUS, port.number), integer(_FULL_DUPLEX)
        aggregated = port.number in switch.traits.aggregate
        if switch.traits.aggregate:
            yield (*mib.DOT3AD_AGG_PORT_ATTACHED, port.number), integer(AGGREGATE_INDEX if aggregated else 0)
            system = _PARTNER if aggregated else MacAddress(0)
            yield (*mib.DOT3AD_AGG_PORT_PARTNER_SYSTEM, port.number), mac_octets(system)
            yield (*mib.DOT3AD_AGG_PORT_PARTNER_KEY, port.number), integer(_PARTNER_KEY if aggregated else 0)
    if switch.traits.aggregate:
        up = any(port.up for port in ports if port.number in switch.traits.aggregate)
        bundle = LabPort(
            number=AGGREGATE_INDEX, name="bundle-1", alias="aggregate", cabled=up, speed_mbps=20_000
        )
        yield from _interface(switch, bundle, _AGGREGATE)


def _interface(switch: LabSwitch, port: LabPort, kind: int) -> Objects:
    columns = {
        mib.IF_INDEX: integer(port.number),
        mib.IF_DESCR: octets(f"Ethernet port {port.number}"),
        mib.IF_TYPE: integer(kind),
        mib.IF_SPEED: gauge(min(port.speed_mbps * 1_000_000, 2**32 - 1)),
        mib.IF_PHYS_ADDRESS: mac_octets(MacAddress(switch.mac + port.number % 256)),
        mib.IF_ADMIN_STATUS: integer(_UP if port.admin_up else _DOWN),
        mib.IF_OPER_STATUS: integer(_UP if port.up else _DOWN),
        mib.IF_LAST_CHANGE: ticks(max(0.0, port.changed_at - switch.booted_at)),
        mib.IF_NAME: octets(port.name),
        mib.IF_HIGH_SPEED: gauge(port.speed_mbps),
        mib.IF_ALIAS: octets(port.alias),
    }
    for column, value in columns.items():
        yield (*column, port.number), value


def _bridge(switch: LabSwitch) -> Objects:
    traits = switch.traits
    yield mib.DOT1D_BASE_BRIDGE_ADDRESS, mac_octets(switch.mac)
    yield mib.DOT1D_BASE_NUM_PORTS, integer(len(_outer(switch)))
    yield mib.DOT1D_BASE_TYPE, integer(2)
    yield mib.DOT1D_TP_LEARNED_ENTRY_DISCARDS, counter(switch.discards)
    yield mib.DOT1D_TP_AGING_TIME, integer(switch.ageing_s)
    if not traits.maps_ports:
        return
    interfaces = {port.number for port in _outer(switch)} - traits.aggregate
    if traits.aggregate:
        interfaces.add(AGGREGATE_INDEX)
    for interface in sorted(interfaces - traits.unmapped_ports):
        yield (*mib.DOT1D_BASE_PORT_IF_INDEX, interface + traits.bridge_port_offset), integer(interface)


def _spanning_tree(switch: LabSwitch) -> Objects:
    yield mib.DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE, ticks(max(0.0, -switch.booted_at))
    yield mib.DOT1D_STP_TOP_CHANGES, counter(switch.topology_changes)
    for port in _outer(switch):
        number = port.number + switch.traits.bridge_port_offset
        yield (*mib.DOT1D_STP_PORT_STATE, number), integer(_state(port))


def _state(port: LabPort) -> int:
    if not port.up:
        return _DISABLED
    return _BLOCKING if port.blocked else _FORWARDING


def _entity(switch: LabSwitch) -> Objects:
    chassis = 1
    yield (*mib.ENT_PHYSICAL_CLASS, chassis), integer(3)
    yield (*mib.ENT_PHYSICAL_SOFTWARE_REV, chassis), octets("4.2")
    yield (*mib.ENT_PHYSICAL_SERIAL_NUM, chassis), octets(f"TF{switch.mac & 0xFFFFFF:06d}")
    yield (*mib.ENT_PHYSICAL_MODEL_NAME, chassis), octets(f"Tarn bridge {len(_outer(switch))}")


def _neighbours(switch: LabSwitch, neighbours: Mapping[int, LabSwitch]) -> Objects:
    """LLDP-MIB (IEEE 802.1AB-2005). Local port numbers are those of the interfaces here."""
    for port in _outer(switch):
        yield (*mib.LLDP_LOC_PORT_ID_SUBTYPE, port.number), integer(5)
        yield (*mib.LLDP_LOC_PORT_ID, port.number), octets(port.name)
    for interface, other in neighbours.items():
        index = (0, interface, 1)
        yield (*mib.LLDP_REM_CHASSIS_ID_SUBTYPE, *index), integer(4)
        yield (*mib.LLDP_REM_CHASSIS_ID, *index), mac_octets(other.mac)
        yield (*mib.LLDP_REM_PORT_ID_SUBTYPE, *index), integer(5)
        yield (*mib.LLDP_REM_PORT_ID, *index), octets(switch.far_ports.get(interface, ""))
        yield (*mib.LLDP_REM_PORT_DESC, *index), octets(f"to {switch.name}")
        yield (*mib.LLDP_REM_SYS_NAME, *index), octets(other.name)
        yield (*mib.LLDP_REM_SYS_DESC, *index), octets("Simulated bridge")
        yield (*mib.LLDP_REM_SYS_CAP_ENABLED, *index), octets(b"\x20")
        address = tuple(int(part) for part in other.address.split("."))
        yield (*mib.LLDP_REM_MAN_ADDR_IF_SUBTYPE, *index, 1, 4, *address), integer(2)


def _neighbour_cache(switch: LabSwitch) -> Objects:
    """IPv4 in the older table, IPv6 in the newer one, as many routers have it."""
    for text, mac in switch.neighbour_cache.items():
        ip = ipaddress.ip_address(text)
        arcs = tuple(ip.packed)
        if ip.version == 4:
            yield (*mib.IP_NET_TO_MEDIA_PHYS_ADDRESS, 1, *arcs), mac_octets(mac)
        else:
            yield (*mib.IP_NET_TO_PHYSICAL_PHYS_ADDRESS, 1, 2, len(arcs), *arcs), mac_octets(mac)


def _vlan_bridge(switch: LabSwitch) -> Objects:
    traits = switch.traits
    for vlan, name in switch.vlans.items():
        if traits.maps_databases:
            for mark in range(traits.time_filter_marks):
                yield (*mib.DOT1Q_VLAN_FDB_ID, mark, vlan), gauge(_database(switch, vlan))
        yield (*mib.DOT1Q_VLAN_STATIC_NAME, vlan), octets(name)
        member = [port.number for port in _outer(switch) if port.carries(vlan)]
        untagged = [port.number for port in _outer(switch) if port.pvid == vlan]
        yield (*mib.DOT1Q_VLAN_STATIC_EGRESS_PORTS, vlan), octets(_port_list(switch, member))
        yield (*mib.DOT1Q_VLAN_STATIC_UNTAGGED_PORTS, vlan), octets(_port_list(switch, untagged))
    for port in _outer(switch):
        yield (*mib.DOT1Q_PVID, port.number + traits.bridge_port_offset), gauge(port.pvid)


def _port_list(switch: LabSwitch, interfaces: list[int]) -> bytes:
    """PortList (RFC 4363): bridge port 1 is the highest bit of the first octet."""
    numbers = [interface + switch.traits.bridge_port_offset for interface in interfaces]
    bits = bytearray(max(numbers, default=0) // 8 + 1)
    for number in numbers:
        bits[(number - 1) // 8] |= 0x80 >> (number - 1) % 8
    return bytes(bits)


def _vlan_fdb(switch: LabSwitch, rows: dict[tuple[int, int], int]) -> Objects:
    traits = switch.traits
    learned = integer(_LEARNED)
    for (vlan, mac), interface in rows.items():
        index = _index(switch, mac)
        database = _database(switch, vlan)
        yield (*mib.DOT1Q_TP_FDB_PORT, database, *index), integer(_bridge_port(switch, interface))
        if traits.status_column:
            yield (*mib.DOT1Q_TP_FDB_STATUS, database, *index), learned
    own = _index(switch, switch.mac)
    yield (*mib.DOT1Q_TP_FDB_PORT, 1, *own), integer(0)
    if traits.status_column:
        yield (*mib.DOT1Q_TP_FDB_STATUS, 1, *own), integer(_SELF)


def _old_fdb(switch: LabSwitch, rows: dict[tuple[int, int], int]) -> Objects:
    learned = integer(_LEARNED)
    once = {mac: interface for (_, mac), interface in reversed(rows.items())}
    for mac, interface in once.items():
        index = _index(switch, mac)
        yield (*mib.DOT1D_TP_FDB_ADDRESS, *index), octets(mac.to_bytes(6, "big"))
        yield (*mib.DOT1D_TP_FDB_PORT, *index), integer(_bridge_port(switch, interface))
        if switch.traits.status_column:
            yield (*mib.DOT1D_TP_FDB_STATUS, *index), learned


def _index(switch: LabSwitch, mac: int) -> tuple[int, ...]:
    arcs = tuple(mac.to_bytes(6, "big"))
    return (6, *arcs) if switch.traits.length_in_index else arcs
