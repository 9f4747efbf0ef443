"""Who is where: stays joined with their switch and port, by address, port, VLAN or switch."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Row, Select, and_, func, or_, select, update

from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Ending, Life, Place, Stay
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.predicates import escape_like, held, none_of
from kiteroll.store.tables import endpoint, port, stay, switch, vlan


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacedStay:
    stay: Stay
    port_number: int
    port_alias: str
    port_oper: str
    vlan_name: str
    ageing: timedelta | None
    interval: timedelta | None
    """How often the switch is polled; None when its readings are imported."""
    read_at: datetime | None
    """The switch's last complete reading: how old the knowledge of this place is."""

    @property
    def life(self) -> Life:
        return self.stay.life

    @property
    def seen_at(self) -> datetime:
        return self.stay.seen_until(self.read_at)


@dataclass(frozen=True, slots=True, kw_only=True)
class Filters:
    """Narrow a list of stays; None leaves a criterion out."""

    switch_id: int | None = None
    port_id: int | None = None
    vlan: int | None = None
    mac: MacAddress | None = None
    open_only: bool = True
    without_ports: frozenset[int] = frozenset()
    """Ids of ports to leave out."""
    at: datetime | None = None
    """Those that covered this instant, open or not."""


def placed(filters: Filters) -> Select[Any]:
    """Stays with their places. `_joined` columns are read by `placed_stay`."""
    query = (
        select(
            stay,
            switch.c.name.label("switch_name"),
            switch.c.last_complete_at,
            switch.c.ageing_s,
            switch.c.interval_s,
            switch.c.source,
            port.c.name.label("port_name"),
            port.c.number.label("port_number"),
            port.c.alias.label("port_alias"),
            port.c.oper.label("port_oper"),
            vlan.c.name.label("vlan_name"),
        )
        .join(port, port.c.id == stay.c.port_id)
        .join(switch, switch.c.id == stay.c.switch_id)
        .outerjoin(vlan, and_(vlan.c.switch_id == stay.c.switch_id, vlan.c.id == stay.c.vlan))
    )
    criteria = {
        stay.c.switch_id: filters.switch_id,
        stay.c.port_id: filters.port_id,
        stay.c.vlan: filters.vlan,
        stay.c.mac: filters.mac,
    }
    for column, value in criteria.items():
        if value is not None:
            query = query.where(column == value)
    if filters.without_ports:
        query = query.where(none_of(stay.c.port_id, filters.without_ports))
    if filters.at is None and not filters.open_only:
        return query
    return query.where(held(stay.c.began_at, stay.c.ended_at, filters.at))


def placed_stay(row: Row[Any]) -> PlacedStay:
    return PlacedStay(
        stay=Stay(
            id=row.id,
            mac=row.mac,
            place=Place(row.switch_name, row.port_name, row.vlan or None),
            began_at=row.began_at,
            resumed_at=row.resumed_at,
            last_seen_at=row.last_seen_at,
            quiet_at=row.quiet_at,
            ended_at=row.ended_at,
            ending=None if row.ending is None else Ending[row.ending],
        ),
        port_number=row.port_number,
        port_alias=row.port_alias,
        port_oper=row.port_oper,
        vlan_name=row.vlan_name or "",
        ageing=None if row.ageing_s is None else timedelta(seconds=row.ageing_s),
        interval=None if row.source == "files" else timedelta(seconds=row.interval_s),
        read_at=row.last_complete_at,
    )


def stays_page(
    connection: Connection, filters: Filters, *, cursor: str | None, limit: int, newest_first: bool = False
) -> Page[PlacedStay]:
    """Latest begun first, or in order of port and address; across switches in order of address, as
    an index has them: sorting half a million rows by port for one page of them would take seconds."""
    keys: tuple[Key, ...]
    if newest_first:
        keys = (Key(stay.c.began_at, descending=True), Key(stay.c.id, descending=True))
    elif filters.switch_id is None and filters.port_id is None:
        keys = (Key(stay.c.mac), Key(stay.c.id))
    else:
        keys = (Key(port.c.number), Key(stay.c.mac), Key(stay.c.vlan), Key(stay.c.id))
    query = placed(filters)
    if filters.switch_id is None and filters.port_id is None:
        # Left to itself, the server begins with the switches and sorts all their stays.
        query = query.prefix_with("STRAIGHT_JOIN")
    return fetch_page(connection, query, keys, placed_stay, cursor=cursor, limit=limit)


def places_of(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> dict[MacAddress, list[PlacedStay]]:
    """For each address its open stays, or those that covered an instant; for one that has none, the
    latest stay alone that had ended by then."""
    found: dict[MacAddress, list[PlacedStay]] = {mac: [] for mac in macs}
    if not macs:
        return found
    for row in connection.execute(placed(Filters(at=then)).where(stay.c.mac.in_(macs))):
        found[row.mac].append(placed_stay(row))
    without = [mac for mac, stays in found.items() if not stays]
    if without:
        ended = select(func.max(stay.c.id)).where(stay.c.mac.in_(without))
        if then is not None:
            ended = ended.where(stay.c.ended_at <= then)
        latest = ended.group_by(stay.c.mac).scalar_subquery()
        for row in connection.execute(placed(Filters(open_only=False)).where(stay.c.id.in_(latest))):
            found[row.mac].append(placed_stay(row))
    return found


def intervals_of_port(
    connection: Connection, port_id: int, since: datetime
) -> list[tuple[datetime, datetime | None]]:
    """When somebody was at a port, as far as it reaches past `since`."""
    query = select(stay.c.began_at, stay.c.ended_at).where(
        stay.c.port_id == port_id, or_(stay.c.ended_at.is_(None), stay.c.ended_at > since)
    )
    return [(began, ended) for began, ended in connection.execute(query)]


def about_endpoints(connection: Connection, macs: Sequence[MacAddress]) -> dict[MacAddress, dict[str, Any]]:
    """What is kept of each known one: first_seen_at, label, owner, notes."""
    rows = connection.execute(select(endpoint).where(endpoint.c.mac.in_(macs)))
    return {
        row.mac: {
            "first_seen_at": row.first_seen_at,
            "label": row.label,
            "owner": row.owner,
            "notes": row.notes or "",
        }
        for row in rows
    }


def change_endpoint(connection: Connection, mac: MacAddress, values: Mapping[str, Any]) -> None:
    """Raises NotFound."""
    if connection.execute(select(endpoint.c.mac).where(endpoint.c.mac == mac)).first() is None:
        raise NotFound("endpoint", str(mac), "no switch has ever told of this address")
    if values:
        connection.execute(update(endpoint).where(endpoint.c.mac == mac).values(**values))


def macs_by_label(connection: Connection, text: str, limit: int) -> list[MacAddress]:
    """Endpoints whose label or owner holds `text`; labels that begin with it first."""
    wanted = escape_like(text)
    # Hardly any endpoint has either, and an index knows those that do.
    by_label = select(endpoint.c.mac, endpoint.c.label.label("said")).where(
        endpoint.c.label > "", endpoint.c.label.like(f"%{wanted}%")
    )
    by_owner = select(endpoint.c.mac, endpoint.c.owner.label("said")).where(
        endpoint.c.owner > "", endpoint.c.owner.like(f"%{wanted}%")
    )
    found = by_label.union_all(by_owner).subquery()
    query = (
        select(found.c.mac)
        .group_by(found.c.mac)
        .order_by(func.max(found.c.said.like(f"{wanted}%")).desc(), func.min(found.c.said), found.c.mac)
        .limit(limit)
    )
    return list(connection.execute(query).scalars())


def endpoints_page(
    connection: Connection, *, cursor: str | None, limit: int
) -> Page[tuple[MacAddress, datetime]]:
    """Every known address and when it was first seen, in order of address."""
    query = select(endpoint)
    return fetch_page(
        connection,
        query,
        (Key(endpoint.c.mac),),
        lambda row: (row.mac, row.first_seen_at),
        cursor=cursor,
        limit=limit,
    )


def all_macs(connection: Connection) -> list[MacAddress]:
    return list(connection.execute(select(endpoint.c.mac)).scalars())
