"""LLDP neighbours as announced, matched to the switches of the inventory."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, func, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.reading import Reading
from kiteroll.core.topology.neighbours import KnownSwitches, SwitchIdentity
from kiteroll.store.bulk import insert_all
from kiteroll.store.tables import neighbour, site, switch

_AREA = func.coalesce(site.c.area, "").label("area")


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourRow:
    switch_name: str
    port_name: str
    chassis: str
    far_port: str
    far_description: str
    name: str
    description: str
    addresses: list[str]
    capabilities: list[str]
    seen_at: datetime
    known_as: str | None
    """The switch of the inventory it is; None when it is none of them."""


def neighbours_of(connection: Connection, switch_id: int | None = None) -> list[NeighbourRow]:
    """Of one switch or of all, in order of switch and port."""
    query = (
        select(neighbour, switch.c.name.label("switch_name"), _AREA)
        .join(switch, switch.c.id == neighbour.c.switch_id)
        .outerjoin(site, site.c.name == switch.c.site)
        .where(switch.c.removed_at.is_(None))
        .order_by(switch.c.name, neighbour.c.id)
    )
    if switch_id is not None:
        query = query.where(neighbour.c.switch_id == switch_id)
    known = _known_switches(connection)
    return [_row(row, known) for row in connection.execute(query)]


def _known_switches(connection: Connection) -> KnownSwitches:
    query = select(switch.c.name, switch.c.host, switch.c.sys_name, switch.c.bridge_address, _AREA)
    query = query.outerjoin(site, site.c.name == switch.c.site).where(switch.c.removed_at.is_(None))
    rows = connection.execute(query)
    return KnownSwitches(
        SwitchIdentity(name=name, host=host, sys_name=sys_name, bridge_address=address, area=area)
        for name, host, sys_name, address, area in rows
    )


def _row(row: Row[Any], known: KnownSwitches) -> NeighbourRow:
    values = {name: getattr(row, name) for name in NeighbourRow.__dataclass_fields__ if name != "known_as"}
    return NeighbourRow(**values, known_as=known.match(row.chassis_mac, row.addresses, row.name, row.area))


def replace_neighbours(connection: Connection, switch_id: int, taken: Reading) -> None:
    """Write who announced itself at a switch's ports, in place of who did before."""
    connection.execute(neighbour.delete().where(neighbour.c.switch_id == switch_id))
    rows = [
        {
            "switch_id": switch_id,
            "port_name": one.port,
            "chassis": one.chassis,
            "chassis_mac": one.chassis_mac,
            "far_port": one.port_id,
            "far_description": one.port_description,
            "name": one.name,
            "description": one.description,
            "addresses": list(one.addresses),
            "capabilities": list(one.capabilities),
            "seen_at": taken.taken_at,
        }
        for one in taken.neighbours
    ]
    insert_all(connection, insert(neighbour), rows)
