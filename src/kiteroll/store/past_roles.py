"""When ports were uplinks, from the records."""

from collections import defaultdict
from collections.abc import Collection, Mapping
from datetime import datetime

from sqlalchemy import Connection, func, select, tuple_

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.store.bulk import chunks
from kiteroll.store.predicates import one_of
from kiteroll.store.tables import port, port_uplink, switch


def recorded_since(connection: Connection) -> datetime | None:
    """From when on it is recorded which ports are uplinks; None: it never was."""
    return connection.execute(select(func.min(port_uplink.c.began_at))).scalar()


def past_roles(connection: Connection, places: Collection[PortRef]) -> PastRoles:
    """Of these ports."""
    if not places:
        return PastRoles({})
    return PastRoles(_uplink_times(connection, places), recorded_since(connection))


def past_roles_of(connection: Connection, ports: Mapping[int, PortRef]) -> PastRoles:
    """Of these ports, by id: quicker than by name where the ids are at hand."""
    times: dict[PortRef, list[tuple[datetime, datetime | None]]] = defaultdict(list)
    if not ports:
        return PastRoles({})
    query = select(port_uplink.c.port_id, port_uplink.c.began_at, port_uplink.c.ended_at)
    query = query.where(one_of(port_uplink.c.port_id, ports)).order_by(port_uplink.c.began_at)
    for port_id, began_at, ended_at in connection.execute(query):
        times[ports[port_id]].append((began_at, ended_at))
    return PastRoles(times, recorded_since(connection))


def all_past_roles(connection: Connection) -> PastRoles:
    """Of every port that ever was an uplink."""
    return PastRoles(_uplink_times(connection, None), recorded_since(connection))


def _uplink_times(
    connection: Connection, places: Collection[PortRef] | None
) -> dict[PortRef, list[tuple[datetime, datetime | None]]]:
    """When each of these ports, or every port there is, counted as an uplink, in order of time."""
    found: dict[PortRef, list[tuple[datetime, datetime | None]]] = defaultdict(list)
    every = (
        select(switch.c.name, port.c.name, port_uplink.c.began_at, port_uplink.c.ended_at)
        .join(port, port.c.id == port_uplink.c.port_id)
        .join(switch, switch.c.id == port.c.switch_id)
        .order_by(port_uplink.c.began_at)
    )
    of_port = tuple_(switch.c.name, port.c.name)
    queries = (
        [every] if places is None else [every.where(of_port.in_(part)) for part in chunks(sorted(places))]
    )
    for query in queries:
        for switch_name, port_name, began_at, ended_at in connection.execute(query):
            found[switch_name, port_name].append((began_at, ended_at))
    return found
