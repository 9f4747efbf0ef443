"""Switches of the inventory, with how each is doing."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.switch_condition import condition_of
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.topology.neighbours import is_switch, names_by_address
from kiteroll.core.tracking.switch_health import SwitchHealth, SwitchWarning, switch_warnings
from kiteroll.store import inventory, list_queries, neighbours
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.neighbours import NeighbourRow
from kiteroll.store.paging import Page

__all__ = ["NeighbourRow", "SwitchQueries", "SwitchView"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchView:
    row: SwitchRow
    present: int
    """Addresses in its latest table."""
    health: SwitchHealth
    health_since: datetime | None
    warnings: tuple[SwitchWarning, ...]
    at: datetime
    """As of when that holds."""

    @property
    def next_try_at(self) -> datetime | None:
        """None where nobody asks it, or it is due already: when that will be nobody knows."""
        due = self.row.next_try_at if self.row.is_read else None
        return None if due is None or due < self.at else due


class SwitchQueries:
    def __init__(
        self, database: Database, fleet: TrackedFleet, clock: Clock, table_share: Callable[[], float]
    ) -> None:
        """`table_share`: from which share of its size a table counts as nearly full."""
        self._database = database
        self._fleet = fleet
        self._clock = clock
        self._table_share = table_share

    def page(self, ask: PageAsk, site: str | None = None, group: str | None = None) -> Page[SwitchView]:
        """By name. Raises NotFound for a site or a group that is not there."""
        page = self._database.run(list_queries.switches_page, ask, site=site, group=group)
        if not page.items:
            InventoryNames.read(self._database).check(sites=(site,), groups=(group,))
        return Page(tuple(self.views(page.items)), page.next)

    def all(self) -> list[SwitchView]:
        return self.views(self._database.run(inventory.all_switches))

    def get(self, name: str) -> SwitchView:
        """Raises NotFound."""
        return self.views([self._database.run(inventory.get_switch, name)])[0]

    def views(self, rows: Sequence[SwitchRow]) -> list[SwitchView]:
        if not rows:
            return []
        now = self._clock.now()
        same_bridge = names_by_address(self._database.run(inventory.bridge_addresses))
        same_address = self._database.run(inventory.asked_at, {row.host for row in rows})
        present = {row.id: self._fleet.tracker.present(row.name) for row in rows}
        empty = [row.id for row in rows if not present[row.id] and row.source == "snmp"]
        up = self._database.run(list_queries.bridged_ports_up, empty) if empty else {}
        found = []
        for row in rows:
            condition = condition_of(row, present[row.id], up.get(row.id, 0))
            warnings = switch_warnings(condition, same_bridge, now, self._table_share(), same_address)
            found.append(
                SwitchView(
                    row=row,
                    present=condition.present,
                    health=condition.health(now),
                    health_since=condition.health_since(now),
                    warnings=tuple(warnings),
                    at=now,
                )
            )
        return found

    def all_neighbours(self) -> list[NeighbourRow]:
        return self._database.run(neighbours.neighbours_of)

    def neighbours(self, name: str) -> list[NeighbourRow]:
        """Raises NotFound."""
        row = self._database.run(inventory.get_switch, name)
        return self._database.run(neighbours.neighbours_of, row.id)

    def discovered(self) -> list[NeighbourRow]:
        """Neighbours that are bridges and not in the inventory."""
        rows = self._database.run(neighbours.neighbours_of)
        return [row for row in rows if row.known_as is None and is_switch(row.capabilities)]

    def vlans(self, name: str) -> list[tuple[int, str]]:
        """Number and name of its VLANs. Raises NotFound."""
        return self._database.run(list_queries.vlans_of, self._database.run(inventory.get_switch, name).id)
