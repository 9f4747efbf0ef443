"""Ports and VLANs of a switch: written where a reading differs from what is stored."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, func, select, tuple_, update
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.link_change import LinkBefore, believed_ticks
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper, Port, Reading
from kiteroll.store.bulk import chunks, insert_all, save_rows
from kiteroll.store.tables import port, port_link, reading, switch, vlan

IS_UP = and_(port.c.there, port.c.bridged, port.c.admin_up, port.c.oper == Oper.UP.value)
"""Of a port: whether frames of hosts can come in there."""
_MOST_NAMES = 2 * bounds.PORTS
"""Of ports of one switch, those that are no longer there included: retention deletes them at last."""


def port_ids(connection: Connection, switch_id: int) -> dict[str, int]:
    rows = connection.execute(select(port.c.name, port.c.id).where(port.c.switch_id == switch_id))
    return {name: port_id for name, port_id in rows}


def merge_ports(connection: Connection, switch_id: int, taken: Reading) -> dict[str, int]:
    """Write ports that are new or differ; returns name to id of every port the switch ever had."""
    known = {row.name: row for row in connection.execute(select(port).where(port.c.switch_id == switch_id))}
    ids = {name: row.id for name, row in known.items()}
    differing = []
    if len(known.keys() | {one.name for one in taken.ports}) > _MOST_NAMES:
        raise Invalid(f"the switch has had more than {_MOST_NAMES} names of ports: they change all the time")
    changed = any(row.oper != one.oper for one in taken.ports if (row := known.get(one.name)) is not None)
    read_at = _read_before(connection, switch_id, taken.taken_at) if changed else None
    for one in taken.ports:
        row = known.get(one.name)
        before = None
        if row is not None:
            before = LinkBefore(Oper(row.oper), row.oper_since, row.changed_ticks, read_at)
        values = _port_values(one) | {"changed_ticks": believed_ticks(one, taken, before)}
        if row is None or any(getattr(row, name) != value for name, value in values.items()):
            since = row.oper_since if row is not None and row.oper == one.oper else taken.taken_at
            number = {} if row is None else {"id": row.id}
            port_row = {"switch_id": switch_id, "name": one.name, **values, "oper_since": since}
            differing.append(number | port_row)
    if differing:
        save_rows(connection, port, differing)
        if any(values["name"] not in ids for values in differing):
            ids = port_ids(connection, switch_id)
    links = [
        {"port_id": ids[one.name], "at": taken.taken_at, "oper": one.oper.value}
        for one in taken.ports
        if one.name not in known or known[one.name].oper != one.oper
    ]
    if taken.complete:
        names = {one.name for one in taken.ports}
        lost = [row.id for row in known.values() if row.there and row.name not in names]
        if lost:
            connection.execute(
                update(port)
                .where(port.c.id.in_(lost))
                .values(there=False, oper=Oper.UNKNOWN, oper_since=taken.taken_at)
            )
            links += [{"port_id": one, "at": taken.taken_at, "oper": Oper.UNKNOWN.value} for one in lost]
    if links:
        connection.execute(insert(port_link), links)
    return ids


def _read_before(connection: Connection, switch_id: int, at: datetime) -> datetime | None:
    """When the switch was read last before that."""
    query = select(func.max(reading.c.taken_at)).where(
        reading.c.switch_id == switch_id, reading.c.taken_at < at, reading.c.outcome != "failed"
    )
    return connection.execute(query).scalar()


def _port_values(one: Port) -> dict[str, Any]:
    return {
        "number": one.number,
        "alias": one.alias,
        "admin_up": one.admin_up,
        "oper": one.oper.value,
        "speed_bps": one.speed_bps,
        "address": one.address,
        "bridged": one.bridged,
        "kind": one.kind,
        "duplex": one.duplex,
        "changed_ticks": one.changed_ticks,
        "aggregate": one.aggregate,
        "partner": one.partner,
        "default_vlan": one.default_vlan,
        "tagged": sorted(one.tagged),
        "untagged": sorted(one.untagged),
        "spanning_tree": one.spanning_tree,
        "there": True,
    }


def merge_vlans(connection: Connection, switch_id: int, taken: Reading) -> None:
    rows = connection.execute(select(vlan.c.id, vlan.c.name).where(vlan.c.switch_id == switch_id))
    known = {vlan_id: name for vlan_id, name in rows}
    now = {one.id: one.name for one in taken.vlans}
    if known == now:
        return
    statement = insert(vlan)
    differing = [
        {"switch_id": switch_id, "id": vlan_id, "name": name}
        for vlan_id, name in now.items()
        if known.get(vlan_id) != name
    ]
    insert_all(connection, statement.on_duplicate_key_update(name=statement.inserted.name), differing)
    gone = known.keys() - now.keys()
    if gone and taken.complete:
        connection.execute(vlan.delete().where(vlan.c.switch_id == switch_id, vlan.c.id.in_(gone)))


@dataclass(frozen=True, slots=True)
class LinkEnd:
    """What is known of a port at an end of a link."""

    oper: str
    spanning_tree: str
    """As dot1dStpPortState (BRIDGE-MIB) is named; empty where it is not reported."""


def link_ends(connection: Connection, ports: Sequence[PortRef]) -> dict[PortRef, LinkEnd]:
    found = {}
    for some in chunks(ports):
        query = (
            select(switch.c.name, port.c.name, port.c.oper, port.c.spanning_tree)
            .join(switch, switch.c.id == port.c.switch_id)
            .where(tuple_(switch.c.name, port.c.name).in_(some))
        )
        for name, port_name, oper, spanning_tree in connection.execute(query):
            found[name, port_name] = LinkEnd(oper, spanning_tree)
    return found


def bundle_sizes(connection: Connection) -> dict[PortRef, int]:
    """How many ports are bundled in each aggregate (IEEE 802.1AX), by the aggregate."""
    query = (
        select(switch.c.name, port.c.aggregate, func.count())
        .join(switch, switch.c.id == port.c.switch_id)
        .where(port.c.aggregate.is_not(None), port.c.there)
        .group_by(switch.c.name, port.c.aggregate)
    )
    return {(name, aggregate): count for name, aggregate, count in connection.execute(query)}
