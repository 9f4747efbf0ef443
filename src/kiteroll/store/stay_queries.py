"""Who is where: stays joined with their switch and port, by address, port, VLAN or switch."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Connection,
    Row,
    Select,
    String,
    and_,
    cast,
    exists,
    func,
    not_,
    or_,
    select,
    type_coerce,
)

from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.stay import Ending, Life, Place, Stay
from kiteroll.core.topology.last_place import last_place
from kiteroll.store.paging import Key, Page, cursor_of, fetch_page
from kiteroll.store.past_roles import past_roles_of
from kiteroll.store.predicates import given, held, none_of
from kiteroll.store.tables import address_label, endpoint, port, stay, switch, vlan

_LATEST = 16
"""Stays of an endpoint among which its last place is looked for: its home, and the switches on the way."""


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
    expected_every: timedelta
    """How often a reading of the switch is to come, polled or imported."""
    read_at: datetime | None
    """The switch's last complete reading: how old the knowledge of this place is."""
    read_since: datetime | None
    """Since when its complete readings come without a gap (`SwitchCheckpoint.read_since`)."""

    @property
    def life(self) -> Life:
        return self.stay.life

    @property
    def seen_at(self) -> datetime:
        return self.stay.seen_until(self.read_at)


@dataclass(frozen=True, slots=True, kw_only=True)
class Filters:
    """Narrow a list of stays; None leaves a criterion out."""

    switch_ids: Sequence[int] | None = None
    port_ids: Sequence[int] | None = None
    vlan: int | None = None
    mac: MacAddress | None = None
    open_only: bool = True
    without_ports: frozenset[int] = frozenset()
    """Ids of ports to leave out."""
    at: datetime | None = None
    """Those that covered this instant, open or not."""


PLACE_COLUMNS = (
    *stay.c,
    switch.c.name.label("switch_name"),
    switch.c.last_complete_at,
    switch.c.read_since,
    switch.c.ageing_s,
    switch.c.interval_s,
    switch.c.source,
    port.c.name.label("port_name"),
    port.c.number.label("port_number"),
    port.c.alias.label("port_alias"),
    port.c.oper.label("port_oper"),
    vlan.c.name.label("vlan_name"),
)
"""Read by `placed_stay`."""


def placed(filters: Filters) -> Select[Any]:
    """Stays with their places."""
    query = (
        select(*PLACE_COLUMNS)
        .join(port, port.c.id == stay.c.port_id)
        .join(switch, switch.c.id == stay.c.switch_id)
        .outerjoin(vlan, and_(vlan.c.switch_id == stay.c.switch_id, vlan.c.id == stay.c.vlan))
    )
    for column, ids in ((stay.c.switch_id, filters.switch_ids), (stay.c.port_id, filters.port_ids)):
        if ids is not None:
            query = query.where(column.in_(ids))
    for column, value in ((stay.c.vlan, filters.vlan), (stay.c.mac, filters.mac)):
        if value is not None:
            query = query.where(column == value)
    if filters.without_ports:
        query = query.where(none_of(stay.c.port_id, filters.without_ports))
    if filters.at is None and not filters.open_only:
        return query
    return query.where(held(stay.c.began_at, stay.c.ended_at, filters.at))


def plain_placed(connection: Connection, filters: Filters) -> Iterator[Row[Any]]:
    """The same in plain values, for files of half a million rows: addresses are numbers, instants text as the
    server has them (`2026-05-04 12:00:00.000000`, UTC)."""
    instants = (
        *(stay.c.began_at, stay.c.resumed_at, stay.c.last_seen_at, stay.c.quiet_at, stay.c.ended_at),
        switch.c.last_complete_at,
    )
    query = placed(filters).with_only_columns(
        type_coerce(stay.c.mac, BigInteger),
        stay.c.vlan,
        stay.c.ending,
        stay.c.port_id,
        switch.c.name,
        port.c.name,
        port.c.alias,
        vlan.c.name,
        *(cast(one, String(26)) for one in instants),
    )
    order = [key.ordered for key in _order(filters, newest_first=not filters.open_only)]
    yield from connection.execute(_joined_in_order(query, filters).order_by(*order))


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
        expected_every=timedelta(seconds=row.interval_s),
        read_at=row.last_complete_at,
        read_since=row.read_since,
    )


def _order(filters: Filters, *, newest_first: bool) -> tuple[Key, ...]:
    if newest_first:
        return Key(stay.c.began_at, descending=True), Key(stay.c.id, descending=True)
    if filters.switch_ids is None and filters.port_ids is None:
        return Key(stay.c.mac), Key(stay.c.id)
    return Key(port.c.number), Key(stay.c.mac), Key(stay.c.vlan), Key(stay.c.id)


def _joined_in_order(query: Select[Any], filters: Filters) -> Select[Any]:
    """Left to itself, the server begins with the switches and sorts all their stays."""
    everywhere = filters.switch_ids is None and filters.port_ids is None
    return query.prefix_with("STRAIGHT_JOIN") if everywhere else query


def stays_page(
    connection: Connection, filters: Filters, ask: PageAsk, newest_first: bool = False
) -> Page[PlacedStay]:
    """Latest begun first, or in order of port and address; across switches in order of address, as
    an index has them: sorting half a million rows by port for one page of them would take seconds."""
    keys = _order(filters, newest_first=newest_first)
    query = _joined_in_order(placed(filters), filters)
    sorts = {"mac": (Key(stay.c.mac), Key(stay.c.id)), "began_at": (Key(stay.c.began_at), Key(stay.c.id))}
    return fetch_page(connection, query, keys, placed_stay, ask, sorts)


_PLACES = placed(Filters()).where(given(stay.c.mac, "macs"))


def places_of(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> dict[MacAddress, list[PlacedStay]]:
    """For each address its open stays, or those that covered an instant; for one that has none, its last
    place by then alone."""
    found: dict[MacAddress, list[PlacedStay]] = {mac: [] for mac in macs}
    if not macs:
        return found
    query = _PLACES if then is None else placed(Filters(at=then)).where(given(stay.c.mac, "macs"))
    for row in connection.execute(query, {"macs": macs}):
        found[row.mac].append(placed_stay(row))
    for one in latest_ended(connection, [mac for mac, stays in found.items() if not stays], then):
        found[one.stay.mac].append(one)
    return found


def latest_ended(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> list[PlacedStay]:
    """Of each the stay that was its last place by then (`last_place`), where one had ended."""
    if not macs:
        return []
    latest_first = (stay.c.ended_at.desc(), stay.c.id.desc())
    nth = func.row_number().over(partition_by=stay.c.mac, order_by=latest_first).label("nth")
    ended = select(stay.c.id, nth).where(stay.c.mac.in_(macs), stay.c.ended_at.is_not(None))
    if then is not None:
        ended = ended.where(stay.c.ended_at <= then)
    of_each = ended.subquery()
    latest = select(of_each.c.id).where(of_each.c.nth <= _LATEST)
    rows = connection.execute(placed(Filters(open_only=False)).where(stay.c.id.in_(latest))).all()
    roles = past_roles_of(connection, {row.port_id: (row.switch_name, row.port_name) for row in rows})
    found: dict[MacAddress, dict[int, PlacedStay]] = defaultdict(dict)
    for row in rows:
        found[row.mac][row.id] = placed_stay(row)
    return [of_one[last_place([one.stay for one in of_one.values()], roles).id] for of_one in found.values()]


def intervals_of_port(
    connection: Connection, port_id: int, since: datetime
) -> list[tuple[datetime, datetime | None]]:
    """When somebody was at a port, as far as it reaches past `since`."""
    query = select(stay.c.began_at, stay.c.ended_at).where(
        stay.c.port_id == port_id, or_(stay.c.ended_at.is_(None), stay.c.ended_at > since)
    )
    return [(began, ended) for began, ended in connection.execute(query)]


_FIRST_SEEN = select(endpoint.c.mac, endpoint.c.first_seen_at).where(given(endpoint.c.mac, "macs"))


def first_seen(connection: Connection, macs: Sequence[MacAddress]) -> dict[MacAddress, datetime]:
    """When each known one was first seen."""
    return {mac: at for mac, at in connection.execute(_FIRST_SEEN, {"macs": macs})}


NEVER_SEEN = "no switch has ever learned this address"


def check_known(connection: Connection, mac: MacAddress) -> None:
    """Raises NotFound when no switch ever learned it."""
    if not first_seen(connection, [mac]):
        raise NotFound("endpoint", str(mac), NEVER_SEEN)


@dataclass(frozen=True, slots=True, kw_only=True)
class EndpointCriteria:
    """Narrow the list of endpoints; None, or nothing, leaves a criterion out."""

    switch_ids: tuple[int, ...] | None = None
    """With an open stay on one of these."""
    port_id: int | None = None
    vlan: int | None = None
    lives: frozenset[Life] = frozenset()
    since: datetime | None = None
    """First seen at or after this."""


def endpoints_page(
    connection: Connection, wanted: EndpointCriteria, ask: PageAsk
) -> Page[tuple[MacAddress, str]]:
    """Known addresses, each with the cursor of what follows it; by address unless asked otherwise."""
    query = select(endpoint.c.mac).where(*_endpoint_conditions(wanted))
    labels = ("label", "owner")
    if ask.field in labels:
        query = query.outerjoin(address_label, address_label.c.mac == endpoint.c.mac)
    mac = Key(endpoint.c.mac)
    sorts: dict[str, tuple[Key, ...]] = {
        "mac": (mac,),
        "first_seen_at": (Key(endpoint.c.first_seen_at), mac),
        **{name: (Key(func.coalesce(address_label.c[name], "")), mac) for name in labels},
    }
    count = len(sorts[ask.field]) if ask.field else 1
    return fetch_page(connection, query, (mac,), lambda row: (row.mac, cursor_of(row, count)), ask, sorts)


def _endpoint_conditions(wanted: EndpointCriteria) -> list[ColumnElement[bool]]:
    is_open = [stay.c.mac == endpoint.c.mac, stay.c.ended_at.is_(None)]
    conditions: list[ColumnElement[bool]] = []
    place = list(is_open)
    if wanted.port_id is not None:
        place.append(stay.c.port_id == wanted.port_id)
    elif wanted.switch_ids is not None:
        place.append(stay.c.switch_id.in_(wanted.switch_ids))
    if wanted.vlan is not None:
        place.append(stay.c.vlan == wanted.vlan)
    if len(place) > len(is_open):
        conditions.append(exists().where(*place))
    if wanted.lives:
        there = exists().where(*is_open)
        present = exists().where(*is_open, stay.c.last_seen_at.is_(None))
        cases = {Life.PRESENT: present, Life.QUIET: and_(there, not_(present)), Life.GONE: not_(there)}
        conditions.append(or_(*(cases[life] for life in wanted.lives)))
    if wanted.since is not None:
        conditions.append(endpoint.c.first_seen_at >= wanted.since)
    return conditions


def all_macs(connection: Connection) -> list[MacAddress]:
    return list(connection.execute(select(endpoint.c.mac)).scalars())
