"""The list of all endpoints, narrowed down.

What the database knows is asked of it; where an endpoint is at home, how sure that is, and its maker are
worked out here, so that pages are filled from several.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from fnmatch import fnmatchcase

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.queries.endpoints import EndpointQueries, EndpointView, find_port
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.stay import Life
from kiteroll.store import inventory, stay_queries
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.paging import Page
from kiteroll.store.stay_queries import EndpointCriteria

_BATCH = 1000
_MAX_BATCHES = 60
"""Read for one page at most: a page may hold fewer rows than were asked for, and still have a next one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class EndpointFilter:
    """None, or nothing, leaves a criterion out. Places are those of the home."""

    switch: str | None = None
    """A name, or a pattern with * and ?."""
    port: str | None = None
    """Needs `switch`."""
    vlan: int | None = None
    site: str | None = None
    group: str | None = None
    maker: str | None = None
    """A part of its name."""
    lives: tuple[str, ...] = ()
    """present: learned somewhere now; quiet: nowhere at the moment; gone: no more."""
    confidences: tuple[str, ...] = ()
    since: datetime | None = None
    """First seen at or after this instant."""


class EndpointList:
    def __init__(self, database: Database, endpoints: EndpointQueries, makers: MakerDirectory) -> None:
        self._database = database
        self._endpoints = endpoints
        self._makers = makers

    def page(self, wanted: EndpointFilter, ask: PageAsk) -> Page[EndpointView]:
        """Raises NotFound for a switch, port, site or group that is not there."""
        among = None
        if wanted.site is not None or wanted.group is not None or _is_pattern(wanted.switch):
            among = self._switches_of(wanted)
        criteria, is_wanted = self._criteria(wanted, among), _check(wanted, among)
        if is_wanted is None:
            page = self._database.run(stay_queries.endpoints_page, criteria, ask)
            return Page(tuple(self._endpoints.known([mac for mac, _ in page.items])), page.next)
        maker = (wanted.maker or "").lower()
        found: list[EndpointView] = []
        cursor = ask.cursor
        for _ in range(_MAX_BATCHES):
            batch = self._database.run(
                stay_queries.endpoints_page, criteria, replace(ask, cursor=cursor, limit=_BATCH)
            )
            behind = {mac: after for mac, after in batch.items if self._is_made_by(mac, maker)}
            for view in self._endpoints.known(list(behind)):
                if is_wanted(view):
                    found.append(view)
                    if len(found) == ask.limit:
                        return Page(tuple(found), behind[view.mac])
            cursor = batch.next
            if cursor is None:
                break
        return Page(tuple(found), cursor)

    def _is_made_by(self, mac: MacAddress, maker: str) -> bool:
        return not maker or maker in self._makers.maker_of(mac)[0].lower()

    def _criteria(self, wanted: EndpointFilter, among: Sequence[SwitchRow] | None) -> EndpointCriteria:
        """`among`: switches of the site and the group; None where neither is asked for."""
        switch_ids: tuple[int, ...] | None = None
        port_id: int | None = None
        if wanted.port is not None and wanted.switch is None:
            raise NotFound("port", wanted.port, "name its switch too: ?switch=NAME&port=NAME")
        if wanted.switch is not None and wanted.port is not None:
            port_id = find_port(self._database, wanted.switch, wanted.port)
        if wanted.switch is not None and not _is_pattern(wanted.switch):
            switch_ids = (self._database.run(inventory.get_switch, wanted.switch).id,)
        elif among is not None:
            switch_ids = tuple(row.id for row in among)
        return EndpointCriteria(
            switch_ids=switch_ids,
            port_id=port_id,
            vlan=wanted.vlan,
            lives=frozenset(map(Life, wanted.lives)),
            since=wanted.since,
        )

    def _switches_of(self, wanted: EndpointFilter) -> list[SwitchRow]:
        """Of a site, a group or a pattern. Raises NotFound."""
        everywhere = self._database.run(inventory.all_switches)
        rows = [
            row
            for row in everywhere
            if (wanted.site is None or row.site == wanted.site)
            and (wanted.group is None or wanted.group in row.in_groups)
            and (not _is_pattern(wanted.switch) or fnmatchcase(row.name, wanted.switch or ""))
        ]
        if not rows and _is_pattern(wanted.switch):
            raise NotFound("switch", wanted.switch or "", "no name of a switch there fits the pattern")
        if not rows:
            InventoryNames.of(everywhere).check(sites=(wanted.site,), groups=(wanted.group,))
        return rows


def _is_pattern(name: str | None) -> bool:
    return name is not None and ("*" in name or "?" in name)


def _check(
    wanted: EndpointFilter, among: Sequence[SwitchRow] | None
) -> Callable[[EndpointView], bool] | None:
    """What the database cannot answer; None when nothing of that is asked for."""
    by_place = (wanted.switch, wanted.port, wanted.vlan, wanted.site, wanted.group)
    if not wanted.maker and not wanted.confidences and all(one is None for one in by_place):
        return None
    names = None if among is None else frozenset(row.name for row in among)

    def is_wanted(view: EndpointView) -> bool:
        if wanted.confidences and view.home.confidence.value not in wanted.confidences:
            return False
        if all(one is None for one in by_place):
            return True
        if view.home_place is None:
            return False
        place = view.home_place.row.stay.place
        return (
            (_is_pattern(wanted.switch) or wanted.switch in (None, place.switch))
            and wanted.port in (None, place.port)
            and wanted.vlan in (None, place.vlan)
            and (names is None or place.switch in names)
        )

    return is_wanted
