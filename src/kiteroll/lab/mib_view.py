"""What a simulated switch's agent has to tell: every object, encoded once, in order of its OID."""

from bisect import bisect_right
from collections.abc import Iterable

from kiteroll.core.mac import MacAddress
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import encode_binding

_ETHERNET_CSMACD = 6
_LEARNED, _SELF = 3, 4
_UP, _DOWN = 1, 2


class MibView:
    """Objects of one agent: OIDs ascending, and for each its whole encoded variable binding."""

    def __init__(self, objects: Iterable[tuple[Oid, bytes]]) -> None:
        ordered = sorted(objects)
        self.oids = [oid for oid, _ in ordered]
        self.bindings = [encode_binding(ber.encode_oid(oid), value) for oid, value in ordered]
        self._places = {oid: at for at, oid in enumerate(self.oids)}

    def at(self, oid: Oid) -> int | None:
        """Position of exactly this object."""
        return self._places.get(oid)

    def after(self, oid: Oid) -> int:
        """Position of the first object behind `oid`; one past the last when there is none."""
        return bisect_right(self.oids, oid)

    def replace(self, oid: Oid, value: bytes) -> None:
        self.bindings[self._places[oid]] = encode_binding(ber.encode_oid(oid), value)


def integer(value: int) -> bytes:
    return ber.encode_int(value)


def octets(value: str | bytes) -> bytes:
    return ber.encode(ber.OCTET_STRING, value.encode() if isinstance(value, str) else value)


def mac_octets(mac: MacAddress) -> bytes:
    return octets(mac.to_bytes(6, "big"))


def uptime(now: float, booted_at: float) -> bytes:
    return ber.encode_int(int((now - booted_at) * 100) % 2**32, ber.TIME_TICKS)


def switch_objects(switch: LabSwitch) -> Iterable[tuple[Oid, bytes]]:
    """Everything a plain VLAN-aware switch offers."""
    yield from _system(switch)
    yield from _interfaces(switch)
    yield from _bridge(switch)
    yield from _vlan_bridge(switch)
    rows = {key: row.port for key, row in switch.fdb.items() if not switch.ports[row.port].inner}
    yield from fdb_objects(rows, own=switch.mac)


def _outer(switch: LabSwitch) -> list[LabPort]:
    return [port for port in switch.ports.values() if not port.inner]


def fdb_objects(rows: dict[tuple[int, int], int], own: MacAddress) -> Iterable[tuple[Oid, bytes]]:
    """dot1qTpFdbTable and dot1dTpFdbTable of `rows`: (database id, address) to bridge port."""
    learned, self_ = integer(_LEARNED), integer(_SELF)
    ports = {port: integer(port) for port in set(rows.values())}
    old: dict[tuple[int, ...], int] = {}
    for (vlan, mac), port in rows.items():
        arcs = tuple(mac.to_bytes(6, "big"))
        old.setdefault(arcs, port)
        yield (*mib.DOT1Q_TP_FDB_PORT, vlan, *arcs), ports[port]
        yield (*mib.DOT1Q_TP_FDB_STATUS, vlan, *arcs), learned
    own_arcs = tuple(own.to_bytes(6, "big"))
    yield (*mib.DOT1Q_TP_FDB_PORT, 1, *own_arcs), integer(0)
    yield (*mib.DOT1Q_TP_FDB_STATUS, 1, *own_arcs), self_
    for arcs, port in old.items():
        yield (*mib.DOT1D_TP_FDB_ADDRESS, *arcs), octets(bytes(arcs))
        yield (*mib.DOT1D_TP_FDB_PORT, *arcs), ports[port]
        yield (*mib.DOT1D_TP_FDB_STATUS, *arcs), learned


def _system(switch: LabSwitch) -> Iterable[tuple[Oid, bytes]]:
    yield mib.SYS_DESCR, octets(f"Simulated bridge, {len(_outer(switch))} ports")
    yield mib.SYS_OBJECT_ID, ber.encode(ber.OBJECT_IDENTIFIER, ber.encode_oid((0, 0)))
    yield mib.SYS_UP_TIME, uptime(switch.booted_at, switch.booted_at)
    yield mib.SYS_CONTACT, octets("network desk, Tarn Ferries")
    yield mib.SYS_NAME, octets(switch.name)
    yield mib.SYS_LOCATION, octets(switch.location)
    yield mib.SYS_SERVICES, integer(2)


def _interfaces(switch: LabSwitch) -> Iterable[tuple[Oid, bytes]]:
    yield mib.IF_NUMBER, integer(len(_outer(switch)))
    for port in _outer(switch):
        index = (port.number,)
        speed_bps = min(port.speed_mbps * 1_000_000, 2**32 - 1)
        columns = {
            mib.IF_INDEX: integer(port.number),
            mib.IF_DESCR: octets(f"Ethernet port {port.number}"),
            mib.IF_TYPE: integer(_ETHERNET_CSMACD),
            mib.IF_SPEED: ber.encode_int(speed_bps, ber.GAUGE32),
            mib.IF_PHYS_ADDRESS: mac_octets(MacAddress(switch.mac + port.number)),
            mib.IF_ADMIN_STATUS: integer(_UP if port.admin_up else _DOWN),
            mib.IF_OPER_STATUS: integer(_UP if port.up else _DOWN),
            mib.IF_NAME: octets(port.name),
            mib.IF_HIGH_SPEED: ber.encode_int(port.speed_mbps, ber.GAUGE32),
            mib.IF_ALIAS: octets(port.alias),
        }
        for column, value in columns.items():
            yield column + index, value


def _bridge(switch: LabSwitch) -> Iterable[tuple[Oid, bytes]]:
    yield mib.DOT1D_BASE_BRIDGE_ADDRESS, mac_octets(switch.mac)
    yield mib.DOT1D_BASE_NUM_PORTS, integer(len(_outer(switch)))
    yield mib.DOT1D_BASE_TYPE, integer(2)
    yield mib.DOT1D_TP_AGING_TIME, integer(switch.ageing_s)
    for port in _outer(switch):
        yield (*mib.DOT1D_BASE_PORT_IF_INDEX, port.number), integer(port.number)


def _vlan_bridge(switch: LabSwitch) -> Iterable[tuple[Oid, bytes]]:
    for vlan, name in switch.vlans.items():
        yield (*mib.DOT1Q_VLAN_FDB_ID, 0, vlan), ber.encode_int(vlan, ber.GAUGE32)
        yield (*mib.DOT1Q_VLAN_STATIC_NAME, vlan), octets(name)
    for port in _outer(switch):
        yield (*mib.DOT1Q_PVID, port.number), ber.encode_int(port.pvid, ber.GAUGE32)
