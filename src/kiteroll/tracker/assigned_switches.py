"""The switches that the service gave to this tracker, as they are in the records."""

import asyncio
import logging

from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import TrackedElsewhere
from kiteroll.store.database import Database
from kiteroll.store.tracked_switches import TrackedSwitch, assignment_mark, site_where_read, tracked_switches

log = logging.getLogger(__name__)


class AssignedSwitches:
    def __init__(
        self, database: Database, turns: Turns, fleet: TrackedFleet, ingestor: ReadingIngestor, area: str
    ) -> None:
        self._database = database
        self._turns = turns
        self._fleet = fleet
        self._ingestor = ingestor
        self._area = area
        self._switches: dict[int, TrackedSwitch] = {}
        self._mark: object = None
        """Of what was given when it was last looked at."""

    async def load(self) -> None:
        """Raises StorageUnavailable."""
        await self._turns.run(self._load)

    def sites(self) -> frozenset[str]:
        return frozenset(one.site for one in self._switches.values())

    async def site_of(self, switch: int) -> str | None:
        """The site whose collectors read a switch, by id, also one that is not given to us yet. None: none.
        Raises StorageUnavailable."""
        if switch not in self._switches:
            await self.refresh()
        if switch in self._switches:
            return self._switches[switch].site
        return await asyncio.to_thread(self._database.run, site_where_read, switch)

    async def refresh(self) -> None:
        """Take up what was given meanwhile, let go of what was taken back. Raises StorageUnavailable."""
        await self._turns.run(self._refresh)

    async def refresh_if_changed(self) -> None:
        """The same where something else is given than before. Raises StorageUnavailable."""
        mark = await asyncio.to_thread(self._database.run, assignment_mark, self._area)
        if mark != self._mark or self._fleet.elsewhere & self._switches.keys():
            await self.refresh()

    async def reload_hold_times(self) -> None:
        """Raises StorageUnavailable."""
        await self._turns.run(self._fleet.reload_hold_times)

    async def store(self, result: PollResult) -> Outcome | None:
        """None for a switch that has another name now. Raises TrackedElsewhere."""
        if self._fleet.switches.get(result.switch) != result.name:
            await self.refresh()
        if result.switch not in self._switches:
            raise TrackedElsewhere(f"{result.name} is not tracked by this tracker")
        return await self._ingestor.ingest(result)

    def _load(self) -> None:
        found = self._database.run(tracked_switches, self._area)
        self._fleet.load([one.id for one in found])
        self._switches = {one.id: one for one in found}
        log.info("tracks", extra=fields("tracker.tracks", area=self._area, switches=len(found)))

    def _refresh(self) -> None:
        before, mark = self._switches, self._database.run(assignment_mark, self._area)
        now = {one.id: one for one in self._database.run(tracked_switches, self._area)}
        for number, one in now.items():
            if number in before and one.name != before[number].name:
                self._fleet.name_switch(number, one.name)
        gone = before.keys() - now.keys()
        for number in gone:
            self._fleet.drop_switch(number)
            self._fleet.tracker.drop(before[number].name)
        # Those that a transaction was refused for, and that are ours all the same, begin anew as well.
        new = (now.keys() - before.keys()) | (self._fleet.elsewhere & now.keys())
        if new:
            self._fleet.reload_switches(new)
        if gone or new:
            extra = fields("tracker.assigned", area=self._area, more=len(new), fewer=len(gone))
            log.info("has other switches", extra=extra)
        self._switches, self._mark = now, mark
