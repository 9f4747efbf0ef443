"""From what a switch answered to a reading: what its numbers mean, and what was left out and why."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import timedelta

from kiteroll.collect.conversation import Value
from kiteroll.collect.fdb import read_fdb
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import index_number, number, physical_address, text
from kiteroll.core.reading import Device, Gap, Oper, Port, Reading, Vlan
from kiteroll.snmp import mib

_IF_DOWN = 2
_MBPS = 1_000_000


def assemble(raw: RawSwitch) -> Reading:
    gaps = [
        Gap(table=table, why=ended.why, rows=rows)
        for table, (ended, rows) in raw.ends.items()
        if not ended.complete
    ]
    interfaces = _interfaces(raw)
    bridge_ports = _bridge_ports(raw, interfaces)
    ports = _ports(raw, interfaces, set(bridge_ports.values()))
    device = _device(raw)
    fdb = read_fdb(raw, bridge_ports, ports, device)
    return Reading(
        switch=raw.switch,
        taken_at=raw.taken_at,
        duration=raw.duration,
        device=device,
        ports=ports,
        vlans=_vlans(raw),
        learned=fdb.learned,
        others=fdb.others,
        gaps=(*gaps, *fdb.gaps),
    )


def _device(raw: RawSwitch) -> Device:
    scalars = raw.scalars
    ageing_s = number(scalars.get(mib.DOT1D_TP_AGING_TIME))
    return Device(
        name=text(scalars.get(mib.SYS_NAME)),
        description=text(scalars.get(mib.SYS_DESCR)),
        location=text(scalars.get(mib.SYS_LOCATION)),
        contact=text(scalars.get(mib.SYS_CONTACT)),
        uptime_ticks=number(scalars.get(mib.SYS_UP_TIME)),
        bridge_address=physical_address(scalars.get(mib.DOT1D_BASE_BRIDGE_ADDRESS)),
        # dot1dTpAgingTime is 10..1,000,000 seconds (RFC 4188); 0 and nonsense mean "does not tell".
        ageing=timedelta(seconds=ageing_s) if ageing_s and 0 < ageing_s <= 1_000_000 else None,
    )


def _interfaces(raw: RawSwitch) -> dict[int, bytes]:
    """ifIndex to encoded index, of every interface that any column names.

    When the walk of the names broke off, interfaces it did not reach are left out: called by
    another of their names they would look like other ports.
    """
    found: dict[int, bytes] = {}
    columns = (mib.IF_NAME,) if raw.broke("ifXTable") else (mib.IF_DESCR, mib.IF_OPER_STATUS, mib.IF_NAME)
    for column in columns:
        for index in raw.column(column):
            if if_index := index_number(index):
                found[if_index] = index
    return found


def _bridge_ports(raw: RawSwitch, interfaces: Mapping[int, bytes]) -> dict[int, int]:
    """Bridge port number to ifIndex (dot1dBasePortIfIndex); the same numbers where that is absent."""
    mapping: dict[int, int] = {}
    for index, value in raw.column(mib.DOT1D_BASE_PORT_IF_INDEX).items():
        port, if_index = index_number(index), number(value)
        if port and if_index and if_index in interfaces:
            mapping[port] = if_index
    if not mapping and not raw.broke("dot1dBasePortTable"):
        return {if_index: if_index for if_index in interfaces}
    return mapping


def _ports(raw: RawSwitch, interfaces: Mapping[int, bytes], bridged: set[int]) -> tuple[Port, ...]:
    names = {if_index: _port_name(raw, if_index, index) for if_index, index in interfaces.items()}
    holders: dict[str, list[int]] = defaultdict(list)
    for if_index, name in names.items():
        holders[name].append(if_index)
    ports = []
    for if_index, index in sorted(interfaces.items()):
        name = names[if_index]
        if len(holders[name]) > 1:
            name = f"{name} #{if_index}"
        mbps = number(raw.column(mib.IF_HIGH_SPEED).get(index))
        ports.append(
            Port(
                number=if_index,
                name=name,
                alias=text(raw.column(mib.IF_ALIAS).get(index)),
                admin_up=number(raw.column(mib.IF_ADMIN_STATUS).get(index)) != _IF_DOWN,
                oper=_oper(raw.column(mib.IF_OPER_STATUS).get(index)),
                speed_bps=mbps * _MBPS if mbps else None,
                address=physical_address(raw.column(mib.IF_PHYS_ADDRESS).get(index)),
                bridged=if_index in bridged,
            )
        )
    return tuple(ports)


def _port_name(raw: RawSwitch, if_index: int, index: bytes) -> str:
    for column in (mib.IF_NAME, mib.IF_DESCR):
        if name := text(raw.column(column).get(index)):
            return name
    return f"port {if_index}"


def _oper(value: Value | None) -> Oper:
    match number(value):
        case 1:
            return Oper.UP
        case 2 | 6 | 7:  # down, notPresent, lowerLayerDown
            return Oper.DOWN
        case _:
            return Oper.UNKNOWN


def _vlans(raw: RawSwitch) -> tuple[Vlan, ...]:
    names: dict[int, str] = {}
    for index in raw.column(mib.DOT1Q_VLAN_FDB_ID):
        if vlan := index_number(index, position=1, length=2):
            names.setdefault(vlan, "")
    for index, value in raw.column(mib.DOT1Q_VLAN_STATIC_NAME).items():
        if vlan := index_number(index):
            names[vlan] = text(value)
    return tuple(Vlan(id=vlan, name=name) for vlan, name in sorted(names.items()) if 1 <= vlan <= 4094)
