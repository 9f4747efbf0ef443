"""Facts about how switches are connected: neighbours, bundles, bridge addresses, roles set by operators."""

from collections import defaultdict
from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import Connection, or_, select, tuple_, update

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts
from kiteroll.core.topology.neighbours import FORWARDING, SHUT_STATES, is_switch, listed_twice, shut_ports
from kiteroll.core.topology.roles import Role
from kiteroll.store import groups, inventory
from kiteroll.store.bulk import chunks
from kiteroll.store.neighbours import neighbours_of
from kiteroll.store.sites import areas_of_switches
from kiteroll.store.tables import port, shared_address, stay, switch


def topology_facts(connection: Connection) -> TopologyFacts:
    """Without tables: those the tracker has in memory."""
    rows = connection.execute(
        select(
            switch.c.name,
            port.c.name,
            port.c.aggregate,
            port.c.partner,
            port.c.spanning_tree,
            port.c.operator_role,
        )
        .join(switch, switch.c.id == port.c.switch_id)
        .where(
            switch.c.removed_at.is_(None),
            or_(
                port.c.aggregate.is_not(None),
                port.c.partner != "",
                port.c.spanning_tree.in_(SHUT_STATES),
                port.c.operator_role.is_not(None),
            ),
        )
    ).all()
    areas = areas_of_switches(connection)
    names = connection.execute(select(switch.c.name).where(switch.c.removed_at.is_(None))).scalars()
    return TopologyFacts(
        switches=frozenset(names),
        aggregates={(one, name): bundle for one, name, bundle, *_ in rows if bundle},
        blocked=shut_ports(
            (((one, name), state) for one, name, *_, state, _ in rows), forwarding_switches(connection)
        ),
        partners={(one, name): partner for one, name, _, partner, *_ in rows if partner},
        pairs=listed_twice(inventory.bridge_addresses(connection)) | groups.pairs(connection),
        claims=tuple(_claims(connection)),
        seen=_own_addresses(connection, areas),
        areas=areas,
        shared=frozenset(connection.execute(select(shared_address.c.prefix)).scalars()),
        by_operator={(one, name): Role(role) for one, name, *_, role in rows if role},
    )


def forwarding_switches(connection: Connection) -> set[str]:
    """Those that report a port which forwards by the spanning tree."""
    query = (
        select(switch.c.name)
        .join(port, port.c.switch_id == switch.c.id)
        .where(port.c.spanning_tree == FORWARDING)
        .distinct()
    )
    return set(connection.execute(query).scalars())


def ids_of_ports(connection: Connection, places: Collection[PortRef]) -> dict[PortRef, int]:
    """Ids of these ports, of those that are kept."""
    wanted = sorted(places)
    found: dict[PortRef, int] = {}
    for part in chunks(wanted):
        query = (
            select(switch.c.name, port.c.name, port.c.id)
            .join(switch, switch.c.id == port.c.switch_id)
            .where(
                switch.c.removed_at.is_(None),
                tuple_(switch.c.name, port.c.name).in_(part),
            )
        )
        found |= {(one, name): port_id for one, name, port_id in connection.execute(query)}
    return found


def set_operator_role(connection: Connection, port_id: int, role: str | None) -> None:
    """None removes what the operator set."""
    connection.execute(update(port).where(port.c.id == port_id).values(operator_role=role))


def _claims(connection: Connection) -> list[NeighbourClaim]:
    return [
        NeighbourClaim(
            (row.switch_name, row.port_name),
            row.known_as,
            row.name or row.chassis,
            is_switch(row.capabilities),
            row.far_port,
            row.far_description,
            row.chassis,
        )
        for row in neighbours_of(connection)
    ]


def _own_addresses(connection: Connection, areas: Mapping[str, str]) -> dict[PortRef, frozenset[str]]:
    """Where each known switch's own bridge address is learned now, by switches of its area."""
    reported = select(switch.c.bridge_address, switch.c.name).where(
        switch.c.removed_at.is_(None), switch.c.bridge_address.is_not(None)
    )
    owners = {(areas.get(name, ""), address): name for address, name in connection.execute(reported)}
    addresses = sorted({address for _, address in owners})
    rows: list[Any] = []
    for part in chunks(addresses):
        # Looked up by address: joined, the server may go through every open stay instead.
        rows += connection.execute(
            select(switch.c.name, port.c.name, stay.c.mac)
            .select_from(stay)
            .join(switch, switch.c.id == stay.c.switch_id)
            .join(port, port.c.id == stay.c.port_id)
            .where(stay.c.mac.in_(part), stay.c.ended_at.is_(None))
            .prefix_with("STRAIGHT_JOIN")
        ).all()
    found: dict[PortRef, set[str]] = defaultdict(set)
    for switch_name, port_name, mac in rows:
        owner = owners.get((areas.get(switch_name, ""), mac))
        if owner is not None and owner != switch_name:
            found[switch_name, port_name].add(owner)
    return {at: frozenset(names) for at, names in found.items()}
