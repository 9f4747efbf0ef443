"""The path to an endpoint from a switch, or from where another endpoint is."""

from datetime import datetime

from kiteroll.app.queries.endpoints import EndpointQueries, EndpointView
from kiteroll.app.queries.search import Search, called
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.search.names import LOOKED_AT, the_one_meant
from kiteroll.core.topology.path import Hop
from kiteroll.store import inventory
from kiteroll.store.database import Database


class Paths:
    def __init__(self, database: Database, endpoints: EndpointQueries, search: Search) -> None:
        self._database = database
        self._endpoints = endpoints
        self._search = search

    def to(self, mac: MacAddress, start: str | None, at: datetime | None) -> list[Hop]:
        """Hop by hop to where the endpoint is at home; empty when no path is known. `start`: name of a
        switch, or a text that finds one endpoint; None: the switch furthest away.

        Raises NotFound where nothing is called so, or its place is not known; Invalid where several are.
        """
        begin = None if start is None else self._switch_at(start, at)
        return self._endpoints.path(mac, begin, at)

    def _switch_at(self, start: str, at: datetime | None) -> str:
        try:
            return self._database.run(inventory.get_switch, start).name
        except NotFound as no_switch:
            one = self._endpoint(start, at)
            if one is None:
                raise no_switch from None
        if one.home.at is None:
            raise NotFound("known place of", str(one.mac), "`kiteroll endpoint show` says why")
        return one.home.at.stay.place.switch

    def _endpoint(self, start: str, at: datetime | None) -> EndpointView | None:
        found = self._search.find(start, LOOKED_AT, at)
        views = {str(one.mac): one for one in found.endpoints}
        # In the past nobody is preferred for his name: the labels are those of now.
        names = {mac: called(one) if at is None else set() for mac, one in views.items()}
        mac = the_one_meant(start, names, more=found.more)
        return None if mac is None else views[mac]
