"""Ports that lead to other switches, and to which."""

from dataclasses import dataclass

from sqlalchemy import Connection, select

from kiteroll.store.neighbours import neighbours_of
from kiteroll.store.tables import port, stay, switch

Ports = dict[tuple[str, str], "Uplink"]


@dataclass(frozen=True, slots=True)
class Uplink:
    port_id: int
    behind: tuple[str, ...]
    """Switches the port leads to, by name; the one next to it first, where a neighbour told."""


def uplinks(connection: Connection) -> Ports:
    """By (switch, port name). A port leads to a known switch that told of itself there (LLDP), and to
    every known switch whose own bridge address (dot1dBaseBridgeAddress) is learned there."""
    found = _by_bridge_address(connection)
    ports = {
        (switch_name, port_name): (port_id, aggregate)
        for switch_name, port_name, port_id, aggregate in connection.execute(
            select(switch.c.name, port.c.name, port.c.id, port.c.aggregate)
            .join(switch, switch.c.id == port.c.switch_id)
            .where(switch.c.removed_at.is_(None))
        )
    }
    for row in neighbours_of(connection):
        if row.known_as is None or row.known_as == row.switch_name:
            continue
        told_at = (row.switch_name, row.port_name)
        _, aggregate = ports.get(told_at, (0, None))
        for place in {told_at, (row.switch_name, aggregate or row.port_name)}:
            # Neighbours are told at each cable of a bundle, addresses are learned on the bundle.
            if place in ports:
                before = found[place].behind if place in found else ()
                others = tuple(name for name in before if name != row.known_as)
                found[place] = Uplink(ports[place][0], (row.known_as, *others))
    return found


def _by_bridge_address(connection: Connection) -> Ports:
    other = switch.alias("other")
    rows = connection.execute(
        select(switch.c.name, port.c.name, port.c.id, other.c.name)
        .select_from(other)
        .join(stay, stay.c.mac == other.c.bridge_address)
        .join(switch, switch.c.id == stay.c.switch_id)
        .join(port, port.c.id == stay.c.port_id)
        .where(stay.c.ended_at.is_(None), stay.c.switch_id != other.c.id, other.c.removed_at.is_(None))
        .distinct()
        .order_by(other.c.name)
    )
    found: Ports = {}
    for switch_name, port_name, port_id, behind in rows:
        known = found.get((switch_name, port_name))
        before = known.behind if known else ()
        found[switch_name, port_name] = Uplink(port_id, (*before, behind))
    return found
