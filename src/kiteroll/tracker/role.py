"""A tracker at work: holds the lease of its area, records the readings of the switches it was given."""

import asyncio
import logging
from collections.abc import Callable

from kiteroll.app.config import Config
from kiteroll.app.events import EventBus
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.tracking import make_tracking
from kiteroll.app.workers.site_readings import SiteReadings
from kiteroll.bus.centre import CentreBus
from kiteroll.bus.connection import connected
from kiteroll.bus.tracker_reports import ReportBus
from kiteroll.clock import Clock
from kiteroll.core.errors import BusUnavailable, Conflict, StorageUnavailable
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.memory import freeze_what_is_loaded
from kiteroll.store import sites
from kiteroll.store.area_lease import AreaLease
from kiteroll.store.database import Database
from kiteroll.store.tracking_rules import saved_tracking_rules
from kiteroll.tasks import run_together
from kiteroll.tracker.assigned_switches import AssignedSwitches
from kiteroll.tracker.reporter import Reporter

log = logging.getLogger(__name__)
_AGAIN_S = 0.5
_LOOK_EVERY_S = 1.0
_HOLD_TIMES_EVERY = 10
"""Looks."""
_INBOX = "_INBOX_tracker"


class TrackerRole:
    def __init__(self, database: Database, config: Config, clock: Clock) -> None:
        self._database = database
        self._config = config
        self._clock = clock
        self._lease = AreaLease(database, config.tracker.area)

    async def run(self, ready: Callable[[], None]) -> None:
        """Until cancelled. `ready` is called each time the area is ours."""
        while True:
            await self._await_lease()
            ready()
            try:
                await self._track()
            except Conflict as lost:
                extra = fields("tracker.lost", error=str(lost))
                log.warning("the area is given up", extra=extra)
            except (BusUnavailable, StorageUnavailable) as away:
                log.warning("the tracker waits", extra=fields("tracker.waits", error=str(away)))
            finally:
                await asyncio.shield(asyncio.to_thread(self._release))

    async def _await_lease(self) -> None:
        logged = ""
        while True:
            try:
                await asyncio.to_thread(self._lease.hold)
                return
            except (Conflict, StorageUnavailable) as why:
                if str(why) != logged:
                    logged = str(why)
                    log.warning("stands by", extra=fields("tracker.standby", reason=logged))
            await self._clock.sleep(_AGAIN_S)

    def _release(self) -> None:
        try:
            self._lease.release()
        except StorageUnavailable as away:
            log.warning("the lease of the area runs out", extra=fields("lease.kept", error=str(away)))

    async def _track(self) -> None:
        """While the lease is ours. Raises Conflict, BusUnavailable or StorageUnavailable."""
        config, lease = self._config, self._lease
        rules = await asyncio.to_thread(self._rules)
        extra = fields("tracker.rules", hold_time_s=rules.hold_time_s)
        log.info("hold time of the service", extra=extra)
        turns, fleet, ingestor = make_tracking(
            self._database, rules, EventBus(), fence=lease.fence, stays=lease.stays, area=lease.area
        )
        try:
            switches = AssignedSwitches(self._database, turns, fleet, ingestor, lease.area)
            await switches.load()
            freeze_what_is_loaded()
            there = await asyncio.to_thread(self._database.run, sites.sites)
            if lease.area not in {one.area for one in there}:
                hint = "kiteroll site area SITE AREA"
                extra = fields("tracker.no_site", area=lease.area, hint=hint)
                log.warning("no site is in this area: there is nothing to track", extra=extra)
            async with connected(config.bus, f"tracker of {lease.area}", _INBOX) as client:
                reports = ReportBus(client, config.bus)
                await reports.prepare()
                reporter = Reporter(reports, lease.area, fleet, self._clock)
                intake = SiteIntake(self._database, self._clock)
                intake.on_note(reporter.note_site)
                readings = SiteReadings(
                    intake,
                    ingestor,
                    switches.store,
                    switches.site_of,
                    reporter.note_outcome,
                    self._clock,
                    reporter.note_again,
                    reporter.flush,
                )
                bus = CentreBus(client, config.bus)
                await run_together(
                    readings.follow(bus, intake.sites),
                    reporter.run(),
                    self._run_refresh(switches, intake, readings, rules),
                )
        finally:
            await asyncio.to_thread(turns.stop)

    def _rules(self) -> TrackingRules:
        """Those of the service; our own file's while none has run. Raises StorageUnavailable."""
        return self._database.run(saved_tracking_rules) or self._config.tracking.rules()

    async def _run_refresh(
        self, switches: AssignedSwitches, intake: SiteIntake, readings: SiteReadings, rules: TrackingRules
    ) -> None:
        """What is given to us, whether the lease still is, and the rules we track by. Raises Conflict when we
        have to begin anew."""
        looks = 0
        while True:
            self._lease.check()
            try:
                await switches.refresh_if_changed()
                if looks % _HOLD_TIMES_EVERY == 0:
                    await switches.reload_hold_times()
                    if await asyncio.to_thread(self._rules) != rules:
                        raise Conflict("the service tracks by other rules now: the area is loaded anew")
                looks += 1
                assigned = switches.sites()
                if assigned != intake.sites():
                    await asyncio.to_thread(intake.load, assigned)
                    readings.wake()
            except StorageUnavailable as away:
                log.warning("the database is away", extra=fields("tracker.waits", error=str(away)))
            await self._clock.sleep(_LOOK_EVERY_S)
