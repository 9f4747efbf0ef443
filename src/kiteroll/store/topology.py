"""What is kept that tells how switches hang together: neighbours, bundles, own addresses, roles by hand."""

from collections import defaultdict
from collections.abc import Collection
from typing import Any

from sqlalchemy import Connection, or_, select, tuple_, update

from kiteroll.core.errors import NotFound
from kiteroll.core.topology import At, Facts, Role, Told
from kiteroll.store.bulk import chunks
from kiteroll.store.neighbours import neighbours_of
from kiteroll.store.tables import port, stay, switch

_BRIDGE = "bridge"
_SHUT = ("blocking", "discarding", "disabled", "broken")


def topology_facts(connection: Connection) -> Facts:
    """Without tables: those the tracker has in memory."""
    rows = connection.execute(
        select(switch.c.name, port.c.name, port.c.aggregate, port.c.spanning_tree, port.c.role_by_hand)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(
            switch.c.removed_at.is_(None),
            or_(
                port.c.aggregate.is_not(None),
                port.c.spanning_tree.in_(_SHUT),
                port.c.role_by_hand.is_not(None),
            ),
        )
    ).all()
    names = connection.execute(select(switch.c.name).where(switch.c.removed_at.is_(None))).scalars()
    return Facts(
        switches=frozenset(names),
        aggregates={(one, name): bundle for one, name, bundle, *_ in rows if bundle},
        blocked=frozenset((one, name) for one, name, _, state, _ in rows if state in _SHUT),
        told=tuple(_told(connection)),
        seen=_own_addresses(connection),
        by_hand={(one, name): Role(role) for one, name, *_, role in rows if role},
    )


def ids_of_ports(connection: Connection, places: Collection[At]) -> dict[At, int]:
    """Ids of these ports, of those that are kept."""
    wanted = sorted(places)
    found: dict[At, int] = {}
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


def set_role(connection: Connection, switch_id: int, port_name: str, role: str | None) -> None:
    """None takes the operator's word back. Raises NotFound."""
    done = connection.execute(
        update(port).where(port.c.switch_id == switch_id, port.c.name == port_name).values(role_by_hand=role)
    )
    known = select(port.c.id).where(port.c.switch_id == switch_id, port.c.name == port_name)
    if not done.rowcount and connection.execute(known).first() is None:
        raise NotFound("port", port_name, "`kiteroll on switch NAME` shows the ports of a switch")


def _told(connection: Connection) -> list[Told]:
    return [
        Told(
            (row.switch_name, row.port_name),
            row.known_as,
            row.name or row.chassis,
            _BRIDGE in row.capabilities,
        )
        for row in neighbours_of(connection)
    ]


def _own_addresses(connection: Connection) -> dict[At, frozenset[str]]:
    """Where each known switch's own bridge address is learned now."""
    told = select(switch.c.bridge_address, switch.c.name).where(
        switch.c.removed_at.is_(None), switch.c.bridge_address.is_not(None)
    )
    owners = {address: name for address, name in connection.execute(told)}
    addresses = sorted(owners)
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
    found: dict[At, set[str]] = defaultdict(set)
    for switch_name, port_name, mac in rows:
        if owners[mac] != switch_name:
            found[switch_name, port_name].add(owners[mac])
    return {at: frozenset(names) for at, names in found.items()}
