"""Makes a reading of a switch's answers: what its numbers mean, what is missing and why."""

from collections import Counter
from collections.abc import Mapping
from datetime import datetime, timedelta

from kiteroll.collect.addresses import read_addresses
from kiteroll.collect.fdb import read_fdb
from kiteroll.collect.neighbours import read_neighbours
from kiteroll.collect.port_facts import PortFacts
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import arcs_of, index_number, number, physical_address, text
from kiteroll.core.model import bounds
from kiteroll.core.model.reading import Device, Gap, Oper, Port, Reading, Vlan
from kiteroll.core.model.uptime import uptime
from kiteroll.snmp import mib
from kiteroll.snmp.message import Value

_IF_DOWN = 2
_MBPS = 1_000_000
_LONGEST_NAME = 200
"""Leaves room for the number that makes duplicate names unique."""
_CHASSIS_OR_STACK = (3, 11)
ESSENTIAL = frozenset(
    {
        "system",
        "ifTable",
        "ifXTable",
        "dot1dBasePortTable",
        "dot1qPortVlanTable",
        "dot1qVlanCurrentTable",
        "dot1qTpFdbTable",
        "dot1dTpFdbTable",
    }
)


def assemble(raw: RawSwitch) -> Reading:
    gaps = [
        Gap(table=table, why=ended.why, rows=rows, breaks=_essential(table))
        for table, (ended, rows) in raw.ends.items()
        if not ended.complete
    ]
    interfaces = _interfaces(raw)
    if not interfaces and not gaps:
        gaps.append(Gap(table="ifTable", why="the switch names no interface"))
    bridge_ports = _bridge_ports(raw, interfaces)
    view_ports = {vlan: _bridge_ports(view, interfaces) for vlan, view in raw.views.items()}
    ports = _ports(raw, interfaces, bridge_ports, view_ports)
    device = _device(raw)
    fdb = read_fdb(raw, bridge_ports, ports, device, view_ports)
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
        neighbours=read_neighbours(raw, ports, bridge_ports),
        addresses=read_addresses(raw),
    )


def _essential(table: str) -> bool:
    """Whether addresses may be missing, or misplaced, when the walk of this table broke off. A view
    of one VLAN is named "TABLE of VLAN n"."""
    return table.split(" ")[0] in ESSENTIAL


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
        ageing=_ageing(ageing_s),
        topology_changes=number(scalars.get(mib.DOT1D_STP_TOP_CHANGES)),
        topology_changed_at=_topology_changed_at(raw),
        learning_discards=number(scalars.get(mib.DOT1D_TP_LEARNED_ENTRY_DISCARDS)),
        **_chassis(raw),
    )


def _ageing(seconds: int | None) -> timedelta | None:
    """dot1dTpAgingTime is 10..1,000,000 s (RFC 4188). Switches report 0 where ageing is off, as good as the
    longest; nonsense is as good as nothing."""
    if seconds is None or not 0 <= seconds <= bounds.AGEING.total_seconds():
        return None
    return timedelta(seconds=seconds) if seconds else bounds.AGEING


def _topology_changed_at(raw: RawSwitch) -> datetime | None:
    ticks = number(raw.scalars.get(mib.DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE))
    changes = number(raw.scalars.get(mib.DOT1D_STP_TOP_CHANGES))
    return raw.taken_at - uptime(ticks) if ticks is not None and changes else None


def _chassis(raw: RawSwitch) -> dict[str, str]:
    """Model, serial number and software of the first chassis (or stack) that has a model."""
    classes = raw.column(mib.ENT_PHYSICAL_CLASS)
    found = [
        (arcs, index)
        for index, value in classes.items()
        if number(value) in _CHASSIS_OR_STACK and (arcs := arcs_of(index))
    ]
    for _, index in sorted(found):
        if model := text(raw.column(mib.ENT_PHYSICAL_MODEL_NAME).get(index)):
            return {
                "model": model,
                "serial": text(raw.column(mib.ENT_PHYSICAL_SERIAL_NUM).get(index)),
                "software": text(raw.column(mib.ENT_PHYSICAL_SOFTWARE_REV).get(index)),
            }
    return {}


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


def _ports(
    raw: RawSwitch,
    interfaces: Mapping[int, bytes],
    bridge_ports: Mapping[int, int],
    view_ports: Mapping[int, Mapping[int, int]],
) -> tuple[Port, ...]:
    facts = PortFacts(raw, bridge_ports)
    names = _unique_names(raw, interfaces)
    bridged = set(bridge_ports.values()).union(*(view.values() for view in view_ports.values()))
    ports = []
    for if_index, index in sorted(interfaces.items()):
        mbps = number(raw.column(mib.IF_HIGH_SPEED).get(index))
        bps = number(raw.column(mib.IF_SPEED).get(index))
        ports.append(
            Port(
                number=if_index,
                name=names[if_index],
                alias=text(raw.column(mib.IF_ALIAS).get(index)),
                admin_up=number(raw.column(mib.IF_ADMIN_STATUS).get(index)) != _IF_DOWN,
                oper=_oper(raw.column(mib.IF_OPER_STATUS).get(index)),
                speed_bps=mbps * _MBPS if mbps else bps or None,
                address=physical_address(raw.column(mib.IF_PHYS_ADDRESS).get(index)),
                bridged=if_index in bridged,
                kind=number(raw.column(mib.IF_TYPE).get(index)),
                duplex=facts.duplex.get(if_index, ""),
                changed_ticks=number(raw.column(mib.IF_LAST_CHANGE).get(index)) or None,
                aggregate=names.get(facts.aggregates.get(if_index, 0)),
                partner=facts.partners.get(if_index, ""),
                default_vlan=facts.default_vlans.get(if_index),
                tagged=frozenset(facts.tagged.get(if_index, ())),
                untagged=frozenset(facts.untagged.get(if_index, ())),
                spanning_tree=facts.spanning_tree.get(if_index, ""),
            )
        )
    return tuple(ports)


def _unique_names(raw: RawSwitch, interfaces: Mapping[int, bytes]) -> dict[int, str]:
    """ifIndex to a name that no other interface has: doubled names get their number behind them, and
    again where even that is the name of another."""
    names = {if_index: _port_name(raw, if_index, index) for if_index, index in interfaces.items()}
    while doubled := {name for name, times in Counter(names.values()).items() if times > 1}:
        names = {
            if_index: f"{name} #{if_index}" if name in doubled else name for if_index, name in names.items()
        }
    return names


def _port_name(raw: RawSwitch, if_index: int, index: bytes) -> str:
    for column in (mib.IF_NAME, mib.IF_DESCR):
        if name := text(raw.column(column).get(index)):
            return name[:_LONGEST_NAME]
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
    return tuple(Vlan(id=vlan, name=name) for vlan, name in sorted(names.items()) if 1 <= vlan <= bounds.VLAN)
