"""Which areas have a tracker of their own: gives it their switches, and takes them back when it is gone.

The service alone decides who has a switch, and writes it down (`switch.tracked_in`). A tracker says that it
is there by renewing the lease of its area; what it writes is checked against both as it is written.
"""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Callable, Collection
from dataclasses import dataclass

from kiteroll.app.events import AuditAppended, EventBus
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.trackers.heard_leases import HeardLeases
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.service_condition import Trouble
from kiteroll.store.area_lease import area_leases
from kiteroll.store.database import Database
from kiteroll.store.tracked_switches import TrackedSwitch, tracked_switches

log = logging.getLogger(__name__)
_STEP_S = 1.0
_LOOK_EVERY_S = 10.0
"""Who has what is looked at when something changed, and so often in any case."""
_CONCERN = frozenset({"switch", "site", "collector"})
"""Actions of the audit log, by their first word, after which switches may be somebody else's."""


@dataclass(frozen=True, slots=True)
class AreaStatus:
    name: str
    """Empty: the one of all sites that name none."""
    sites: tuple[str, ...]
    switches: int
    tracked: int
    """How many of them its tracker has; the service tracks the others."""
    tracker: str
    """Where it runs: machine and process; empty: there is none."""
    epoch: int
    """Grows with each tracker that takes the area over; 0: there never was one."""


class AreaTrackers:
    def __init__(
        self,
        database: Database,
        turns: Turns,
        fleet: TrackedFleet,
        collected: Callable[[str], bool],
        intake: SiteIntake,
        clock: Clock,
        bus: EventBus,
        on_change: Callable[[], None],
    ) -> None:
        """`collected`: whether collectors read a site, for trackers take no others; `on_change`: readings of
        other sites are theirs than before."""
        self._database = database
        self._turns = turns
        self._fleet = fleet
        self._collected = collected
        self._intake = intake
        self._clock = clock
        self._on_change = on_change
        self._heard = HeardLeases(clock)
        self._sites: frozenset[str] = frozenset()
        self._looked_at = -_LOOK_EVERY_S
        self._by: object = None
        """Which areas had trackers when it was last looked who has what."""
        bus.subscribe(AuditAppended, self._on_action)

    def sites(self) -> frozenset[str]:
        """Whose readings trackers take."""
        return self._sites

    def load(self) -> None:
        """Before any reading is taken. Raises StorageUnavailable."""
        self._sites = frozenset(one.site for one in self._database.run(tracked_switches) if one.tracked_in)

    async def run(self) -> None:
        while True:
            try:
                await self._step()
            except StorageUnavailable as away:
                log.warning("areas wait", extra=fields("areas.waiting", error=str(away)))
                self._heard.database_away()
            await self._clock.sleep(_STEP_S)

    def status(self) -> list[AreaStatus]:
        """Of every area that a site is in or a tracker asked for, by name. Raises StorageUnavailable."""
        leases = {one.area: one for one in self._database.run(area_leases)}
        of_area: dict[str, list[TrackedSwitch]] = defaultdict(list)
        for one in self._database.run(tracked_switches):
            of_area[one.area].append(one)
        found = []
        for name in sorted(of_area.keys() | leases.keys()):
            lease, switches = leases.get(name), of_area[name]
            there = lease is not None and self._heard.is_there(name)
            found.append(
                AreaStatus(
                    name,
                    tuple(sorted({one.site for one in switches if one.site})),
                    len(switches),
                    sum(bool(one.tracked_in) for one in switches),
                    lease.holder if lease is not None and there else "",
                    lease.epoch if lease is not None else 0,
                )
            )
        return found

    def troubles(self) -> list[Trouble]:
        """Trackers that are gone, and whose area no other one has taken."""
        return self._heard.troubles()

    async def _step(self) -> None:
        """Raises StorageUnavailable."""
        asked_at = self._clock.monotonic()
        leases = await asyncio.to_thread(self._database.run, area_leases)
        self._heard.stood_still(self._clock.monotonic() - asked_at)
        self._heard.hear(leases)
        there = self._heard.state()
        if there == self._by and self._clock.monotonic() - self._looked_at < _LOOK_EVERY_S:
            return
        self._by, self._looked_at = there, self._clock.monotonic()
        switches = await asyncio.to_thread(self._database.run, tracked_switches)
        wanted = {one.id: self._wanted(one) for one in switches}
        changed = [one for one in switches if wanted[one.id] != one.tracked_in]
        if changed:
            await self._hand_over(changed, wanted)
        sites = frozenset(one.site for one in switches if wanted[one.id])
        if sites != self._sites:
            back = self._sites - sites
            if back:
                await asyncio.to_thread(self._intake.load, self._intake.sites(), anew=back)
            self._sites = sites
            self._on_change()

    def _on_action(self, event: AuditAppended) -> None:
        """In any thread."""
        if event.row.action.partition(".")[0] in _CONCERN:
            self._looked_at = -_LOOK_EVERY_S

    def _wanted(self, one: TrackedSwitch) -> str:
        """The area whose tracker is to have it; empty: the service."""
        if not (one.area and one.is_read and self._collected(one.site)):
            return ""
        stays = one.tracked_in == one.area and self._heard.is_left_to_trackers(one.area)
        return one.area if stays or self._heard.is_there(one.area) else ""

    async def _hand_over(self, changed: Collection[TrackedSwitch], wanted: dict[int, str]) -> None:
        """Raises StorageUnavailable."""
        to_area: dict[str, list[int]] = defaultdict(list)
        from_area: dict[str, int] = defaultdict(int)
        for one in changed:
            to_area[wanted[one.id]].append(one.id)
            from_area[one.tracked_in] += 1

        def work() -> None:
            for area, ids in to_area.items():
                if area:
                    self._fleet.assign(ids, area)
                else:
                    self._fleet.reclaim(ids)

        await self._turns.run_next(work)
        for area, ids in to_area.items():
            if area:
                extra = fields("area.given", area=area, switches=len(ids))
                log.info("switches are tracked by the tracker of their area", extra=extra)
        for area, count in from_area.items():
            if area:
                extra = fields("area.taken_back", area=area, switches=count)
                gone = not self._heard.is_there(area)
                log.log(
                    logging.WARNING if gone else logging.INFO,
                    "the tracker of an area is gone: the service tracks its switches"
                    if gone
                    else "switches are tracked by the service again",
                    extra=extra,
                )
