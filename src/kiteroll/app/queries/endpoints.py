"""Endpoints: where each is, or was at an instant, what is known of it, and the path to it."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Row

from kiteroll.app.makers import MakerDirectory
from kiteroll.app.queries.as_of import past_instant, stays_as_of, view_as_of
from kiteroll.app.sightings import sighting_of
from kiteroll.app.topology_view import NetworkView, TopologyView
from kiteroll.clock import Clock
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import AddressOrigin
from kiteroll.core.model.nearest import did_you_mean, ports_hint
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.topology.contested import NOTHING_CONTESTED, Contested
from kiteroll.core.topology.home import Home, choose_home, home_of_switch, rank
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.core.topology.path import Hop, longest_path
from kiteroll.core.topology.roles import PortRole
from kiteroll.store import (
    former_switches,
    inventory,
    labels,
    past_roles,
    ports,
    stay_queries,
)
from kiteroll.store.database import Database
from kiteroll.store.endpoint_queries import EndpointRecord, endpoint_records
from kiteroll.store.labels import Label
from kiteroll.store.paging import Page
from kiteroll.store.stay_queries import Filters, PlacedStay

__all__ = [
    "EndpointQueries",
    "EndpointView",
    "PlaceView",
    "StayFilter",
]


@dataclass(frozen=True, slots=True)
class PlaceView:
    """A stay, with the role of its port; where it is over, the one that the port had while it lasted."""

    row: PlacedStay
    role: PortRole


@dataclass(frozen=True, slots=True, kw_only=True)
class EndpointView:
    mac: MacAddress
    record: EndpointRecord
    maker: str
    origin: AddressOrigin
    home: Home
    home_place: PlaceView | None
    elsewhere: tuple[tuple[Home, PlaceView], ...]
    """Homes in other areas, where another device has the address."""
    places: tuple[PlaceView, ...]
    """The likeliest home first."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StayFilter:
    """Narrows a list of stays; None leaves a criterion out."""

    switch: str | None = None
    port: str | None = None
    """Needs `switch`."""
    vlan: int | None = None
    mac: MacAddress | None = None
    ended: bool = False
    """Ended stays too, latest begun first."""
    uplinks: bool = True
    at: datetime | None = None


class EndpointQueries:
    def __init__(
        self,
        database: Database,
        topology: TopologyView,
        makers: MakerDirectory,
        clock: Clock,
        contested: Callable[[], Contested],
    ) -> None:
        """`contested`: what live findings say is here and there."""
        self._database = database
        self._topology = topology
        self._makers = makers
        self._clock = clock
        self._contested = contested

    def get(self, mac: MacAddress, at: datetime | None) -> EndpointView:
        """Raises NotFound when it is not known, or was not yet."""
        found = self.known([mac], at)
        if not found:
            first = self._database.run(stay_queries.first_seen, [mac]).get(mac)
            hint = f"it was first seen at {first.isoformat()}" if first else stay_queries.NEVER_SEEN
            raise NotFound("endpoint", str(mac), hint)
        return found[0]

    def label(self, mac: MacAddress) -> Label:
        """What is known of it. Raises NotFound when no switch ever learned it."""
        self._database.run(stay_queries.check_known, mac)
        return self._database.run(labels.labels_of, [mac]).get(mac, Label(mac))

    def known(self, macs: Sequence[MacAddress], at: datetime | None = None) -> list[EndpointView]:
        """Those among `macs` that are known, or were known then, in their order."""
        at = past_instant(self._clock, at)
        records = self._database.run(endpoint_records, macs, at)
        if at is None:
            view = self._topology.now()
        else:
            records, view = self._as_of(records, at)
        now = at or self._clock.now()
        contested = self._contested() if at is None else NOTHING_CONTESTED
        return [self._view(mac, record, view, now, contested) for mac, record in records.items()]

    def path(self, mac: MacAddress, start: str | None, at: datetime | None) -> list[Hop]:
        """From `start`, or else from the switch furthest away, to the home; empty when none is known."""
        at = past_instant(self._clock, at)
        rows = self._database.run(stay_queries.places_of, [mac], at)[mac]
        if at is None:
            view = self._topology.now()
        else:
            view = view_as_of(self._database, self._topology, rows, at)
            rows = stays_as_of(self._database, rows, at)
        return longest_path([sighting_of(row, view) for row in rows], start, view.topology)

    def stays(self, wanted: StayFilter, ask: PageAsk) -> Page[PlaceView]:
        """Raises NotFound for a switch or port that is not there."""
        at = past_instant(self._clock, wanted.at)
        view = self._topology.now() if at is None else self._topology.at(at)
        filters = self._filters(wanted, view, at)
        page = self._database.run(stay_queries.stays_page, filters, ask, newest_first=wanted.ended)
        if at is not None:
            rows = stays_as_of(self._database, page.items, at)
            return Page(tuple(_place(row, view) for row in rows), page.next)
        over = {one.stay.place for one in page.items if one.stay.ended_at is not None}
        past = self._database.run(past_roles.past_roles, {(one.switch, one.port) for one in over})
        return Page(tuple(_place_then(row, view, past) for row in page.items), page.next)

    def plain_stays(self, wanted: StayFilter) -> tuple[NetworkView, PastRoles, Iterator[Row[Any]]]:
        """Every stay in plain values (`stay_queries.plain_placed`), as of now. Raises NotFound."""
        view = self._topology.now()
        filters = self._filters(wanted, view, None)
        past = self._database.run(past_roles.all_past_roles) if wanted.ended else PastRoles({})
        return view, past, self._database.stream(stay_queries.plain_placed, filters)

    def _filters(self, wanted: StayFilter, view: NetworkView, at: datetime | None) -> Filters:
        """Raises NotFound."""
        if wanted.port is not None and wanted.switch is None:
            raise NotFound("port", wanted.port, "name its switch too: ?switch=NAME&port=NAME")
        switch_ids = port_ids = None
        if wanted.switch is not None:
            switch_ids = self._switch_ids(wanted.switch, at, ended=wanted.ended)
            if wanted.port is not None:
                port_ids = _ports_called(self._database, switch_ids, wanted.switch, wanted.port)
        return Filters(
            switch_ids=switch_ids if port_ids is None else None,
            port_ids=port_ids,
            vlan=wanted.vlan,
            mac=wanted.mac,
            open_only=not wanted.ended,
            at=at,
            without_ports=frozenset() if wanted.uplinks else view.uplink_ids(wanted.switch),
        )

    def _switch_ids(self, name: str, at: datetime | None, *, ended: bool) -> Sequence[int]:
        """Whom the name means: who had it at the instant, or ever where stays that ended are asked for.
        Raises NotFound."""
        if at is not None:
            return [self._database.run(former_switches.switch_then, name, at)]
        if ended:
            return self._database.run(former_switches.ids_called, name)
        return [self._database.run(inventory.get_switch, name).id]

    def _view(
        self, mac: MacAddress, record: EndpointRecord, view: NetworkView, now: datetime, contested: Contested
    ) -> EndpointView:
        by_id = {row.stay.id: row for row in record.stays}
        sightings = [sighting_of(row, view) for row in record.stays]
        switch = record.switch
        home = choose_home(sightings, now, contested) if switch is None else home_of_switch(switch)
        maker, origin = self._makers.maker_of(mac)
        return EndpointView(
            mac=mac,
            record=record,
            maker=maker,
            origin=origin,
            home=home,
            home_place=None if home.at is None else _place(by_id[home.at.stay.id], view),
            elsewhere=tuple(
                (one, _place(by_id[one.at.stay.id], view)) for one in home.elsewhere if one.at is not None
            ),
            places=tuple(_place(by_id[one.stay.id], view) for one in rank(sightings)),
        )

    def _as_of(
        self, records: Mapping[MacAddress, EndpointRecord], at: datetime
    ) -> tuple[dict[MacAddress, EndpointRecord], NetworkView]:
        rows = [row for record in records.values() for row in record.stays]
        view = view_as_of(self._database, self._topology, rows, at)
        stays: dict[MacAddress, list[PlacedStay]] = {mac: [] for mac in records}
        for row in stays_as_of(self._database, rows, at):
            stays[row.stay.mac].append(row)
        return {mac: replace(record, stays=stays[mac]) for mac, record in records.items()}, view


def find_port(
    database: Database, switch: str, port: str, *, past: bool = False, at: datetime | None = None
) -> int:
    """Id of a port the switch has or had. `past`: also of a switch that left the inventory, the one that
    was called so at that instant or last. Raises NotFound."""
    number = (
        database.run(former_switches.switch_then, switch, at)
        if past
        else database.run(inventory.get_switch, switch).id
    )
    return _ports_called(database, [number], switch, port)[0]


def _ports_called(database: Database, switch_ids: Sequence[int], switch: str, port: str) -> list[int]:
    """Ids of the ports with a name, of these switches. Raises NotFound where none has one."""
    known = [database.run(ports.port_ids, number) for number in switch_ids]
    found = [names[port] for names in known if port in names]
    if not found:
        raise NotFound("port", port, did_you_mean(port, known[0], ports_hint(switch)))
    return found


def _place_then(row: PlacedStay, view: NetworkView, past: PastRoles) -> PlaceView:
    """With the role that its port had while the stay lasted."""
    one, stay = _place(row, view), row.stay
    if stay.ended_at is None:
        return one
    port = (stay.place.switch, stay.place.port)
    return replace(one, role=past.role(port, stay.began_at, stay.ended_at, one.role))


def _place(row: PlacedStay, view: NetworkView) -> PlaceView:
    place = row.stay.place
    return PlaceView(row, view.topology.role((place.switch, place.port)))
