"""Inputs for comparing two instants: addresses that may differ, and their stays then."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, func, or_, select

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.store.past_roles import past_roles_of
from kiteroll.store.predicates import covers
from kiteroll.store.tables import endpoint, port, stay, switch

_MUCH = 5000
"""Stays that began between two instants: from here on they are compared address by address."""


@dataclass(frozen=True, slots=True)
class Comparable:
    """Addresses with a stay that began or ended in between, ascending, each with what to compare."""

    stays: dict[MacAddress, list[Stay]]
    """Those that cover either instant, for each address that was looked at; without those at ports that were
    uplinks all the time."""
    roles: PastRoles
    """Of their ports."""
    first_seen: dict[MacAddress, datetime]
    more: bool
    """Whether others follow behind the last one."""


def comparable(
    connection: Connection,
    begin: datetime,
    end: datetime,
    *,
    switch_ids: Sequence[int] | None,
    after: int,
    limit: int,
) -> Comparable:
    """Of at most `limit` addresses above `after`. `switch_ids`: only changes on these."""
    macs = changed_macs(connection, begin, end, switch_ids, after, limit + 1)
    shown = macs[:limit]
    found: dict[MacAddress, list[Stay]] = {mac: [] for mac in shown}
    first: dict[MacAddress, datetime] = {}
    roles = PastRoles({})
    if shown:
        query = (
            select(
                *(stay.c.id, stay.c.mac, stay.c.port_id, stay.c.vlan),
                *(stay.c.began_at, stay.c.ended_at, stay.c.resumed_at),
                switch.c.name.label("switch_name"),
                port.c.name.label("port_name"),
            )
            .join(port, port.c.id == stay.c.port_id)
            .join(switch, switch.c.id == stay.c.switch_id)
            .where(
                stay.c.mac.in_(shown),
                or_(*(covers(stay.c.began_at, stay.c.ended_at, at) for at in (begin, end))),
            )
        )
        rows = connection.execute(query).all()
        ports = {row.port_id: (row.switch_name, row.port_name) for row in rows}
        roles = past_roles_of(connection, ports)
        without = {number for number, one in ports.items() if roles.was_uplink_throughout(one, begin, end)}
        for row in rows:
            if row.port_id in without:
                continue
            found[row.mac].append(
                Stay(
                    id=row.id,
                    mac=row.mac,
                    place=Place(row.switch_name, row.port_name, row.vlan or None),
                    began_at=row.began_at,
                    resumed_at=row.resumed_at,
                    ended_at=row.ended_at,
                )
            )
        seen = select(endpoint.c.mac, endpoint.c.first_seen_at).where(endpoint.c.mac.in_(shown))
        first = {mac: at for mac, at in connection.execute(seen)}
    return Comparable(found, roles, first, len(macs) > limit)


def changed_macs(
    connection: Connection,
    begin: datetime,
    end: datetime,
    switch_ids: Sequence[int] | None,
    after: int,
    limit: int,
    much: int = _MUCH,
) -> list[MacAddress]:
    """Addresses above `after` with a stay that began or ended in [begin, end), ascending: only
    those can differ between the two instants."""
    if switch_ids is None and _more_began(connection, begin, end, much):
        # Every few addresses one that changed: going by address finds a page of them soonest.
        either_in = or_(
            and_(stay.c.began_at >= begin, stay.c.began_at < end),
            and_(stay.c.ended_at >= begin, stay.c.ended_at < end),
        )
        walk = select(stay.c.mac).distinct().with_hint(stay, "FORCE INDEX (stay_mac_time)")
        walk = walk.where(stay.c.mac > after, either_in).order_by(stay.c.mac).limit(limit)
        return list(connection.execute(walk).scalars())
    began = select(stay.c.mac).where(stay.c.began_at >= begin, stay.c.began_at < end, stay.c.mac > after)
    ended = select(stay.c.mac).where(stay.c.ended_at >= begin, stay.c.ended_at < end, stay.c.mac > after)
    if switch_ids is not None:
        began = began.where(stay.c.switch_id.in_(switch_ids))
        ended = ended.where(stay.c.switch_id.in_(switch_ids))
    either = began.union(ended).subquery()
    return list(connection.execute(select(either.c.mac).order_by(either.c.mac).limit(limit)).scalars())


def _more_began(connection: Connection, begin: datetime, end: datetime, much: int) -> bool:
    """Whether more stays than that began in [begin, end)."""
    some = select(stay.c.id).where(stay.c.began_at >= begin, stay.c.began_at < end).limit(much + 1).subquery()
    return (connection.execute(select(func.count()).select_from(some)).scalar() or 0) > much
