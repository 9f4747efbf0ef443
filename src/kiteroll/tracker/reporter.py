"""Reports to the service what was stored: before readings are confirmed, so that none is kept from it."""

import asyncio
import logging
from datetime import datetime

from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import Outcome
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteState
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.trackers.reports import PortNames, Report, SiteReport, encode_reports
from kiteroll.bus.tracker_reports import ReportBus
from kiteroll.clock import Clock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary

log = logging.getLogger(__name__)
_AGAIN_S = 2.0


class Reporter:
    def __init__(self, bus: ReportBus, area: str, fleet: TrackedFleet, clock: Clock) -> None:
        self._clock = clock
        self._bus = bus
        self._area = area
        self._fleet = fleet
        self._ports = PortNames()
        self._unreported: dict[tuple[int, datetime], Report] = {}
        """Readings that were stored, in order, by switch and instant."""
        self._sites: dict[str, SiteState] = {}
        """What is to be reported of sites: the latest of each."""
        self._sending = asyncio.Lock()
        self._woken = asyncio.Event()
        self._loop = asyncio.get_running_loop()

    async def run(self) -> None:
        """Reports sites as they are noted, and again what could not be sent."""
        while True:
            await self._woken.wait()
            self._woken.clear()
            try:
                await self.flush()
            except BusUnavailable as away:
                extra = fields("tracker.unreported", error=str(away))
                log.warning("the service cannot be reached", extra=extra)
                self._woken.set()
                await self._clock.sleep(_AGAIN_S)

    def note_site(self, site: str, state: SiteState) -> None:
        """From any thread."""
        self._loop.call_soon_threadsafe(self._note_site, site, state)

    def _note_site(self, site: str, state: SiteState) -> None:
        self._sites[site] = state
        self._woken.set()

    async def note_outcome(self, switch: int, at: datetime, outcome: Outcome | None) -> None:
        """A reading was stored."""
        if outcome is not None:
            short = self._ports.in_short(outcome) if isinstance(outcome, ReadingStored) else outcome
            self._unreported[switch, at] = short

    async def note_again(self, result: PollResult) -> None:
        """A reading came that is stored, and may not have been reported: whoever does not know it reads the
        records."""
        at, reading = result.started_at, result.outcome
        checkpoint = self._fleet.tracker.checkpoint(result.name)
        if not isinstance(reading, Reading) or checkpoint.last_at != at:
            return
        again = ReadingStored(
            switch_id=result.switch,
            switch=result.name,
            summary=ReadingSummary.of(reading),
            ports=None,
            duration=result.duration,
            changes=(),
            before=at,
            checkpoint=checkpoint,
        )
        self._unreported.setdefault((result.switch, at), again)

    async def flush(self) -> None:
        """Returns once the engine has all that was noted. Raises BusUnavailable; then nothing is lost."""
        async with self._sending:
            readings, sites = self._unreported, self._sites
            self._unreported, self._sites = {}, {}
            reports = [*readings.values(), *(SiteReport(site, state) for site, state in sites.items())]
            if not reports:
                return
            try:
                await self._bus.publish(self._area, await asyncio.to_thread(encode_reports, reports))
            except BusUnavailable:
                self._unreported, self._sites = readings | self._unreported, sites | self._sites
                raise
