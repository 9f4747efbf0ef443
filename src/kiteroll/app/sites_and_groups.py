"""What holds for the switches of a site, or of a group."""

import asyncio
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.core.model.nearest import the_named
from kiteroll.store import groups, inventory, sites
from kiteroll.store.database import Database
from kiteroll.store.sites import SiteRow

__all__ = ["GroupSettings", "SiteRow", "SitesAndGroups"]


@dataclass(frozen=True, slots=True)
class GroupSettings:
    name: str
    switches: int
    hold_time_s: int | None
    shares_tables: bool


class SitesAndGroups:
    def __init__(
        self, database: Database, turns: Turns, fleet: TrackedFleet, assignments: SwitchAssignments
    ) -> None:
        self._database = database
        self._turns = turns
        self._fleet = fleet
        self._assignments = assignments

    def site(self, name: str) -> SiteRow:
        """Raises NotFound."""
        return the_named(self.sites(), name, "site")

    def group(self, name: str) -> GroupSettings:
        """Raises NotFound."""
        return the_named(self.groups(), name, "group")

    def sites(self) -> list[SiteRow]:
        return self._database.run(sites.sites)

    def groups(self) -> list[GroupSettings]:
        own = self._database.run(groups.group_settings)
        counts = Counter(name for row in self._database.run(inventory.all_switches) for name in row.in_groups)
        nothing = groups.GroupRow()
        return [
            GroupSettings(name, counts[name], one.hold_time_s, one.shares_tables)
            for name in sorted(own.keys() | counts.keys())
            for one in (own.get(name, nothing),)
        ]

    async def change_group(self, name: str, values: Mapping[str, Any]) -> None:
        """Set hold_time_s or shares_tables; what is not given stays. Raises NotFound."""

        def work() -> None:
            self.group(name)  # a mistyped name must not be set for nobody
            self._database.run(groups.change_group, name, values)
            self._fleet.reload_hold_times()

        await self._turns.run_next(work)

    async def change_site(self, name: str, values: Mapping[str, Any]) -> None:
        """Set concurrency or area; what is not given stays. Raises NotFound."""

        def work() -> None:
            self.site(name)  # a mistyped name must not be set for nobody
            self._database.run(sites.change_site, name, values)

        await asyncio.to_thread(work)
        if "concurrency" in values:
            self._assignments.limit_site(name, values["concurrency"])
