"""Tells the service what was stored: before readings are confirmed, so that none is kept from it."""

import asyncio
import logging
from datetime import datetime

from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import Outcome
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteState
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.trackers.told import PortNames, SiteTold, Told, encode_told
from kiteroll.bus.told import ToldBus
from kiteroll.clock import Clock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary

log = logging.getLogger(__name__)
_AGAIN_S = 2.0


class Telling:
    def __init__(self, told: ToldBus, area: str, fleet: TrackedFleet, clock: Clock) -> None:
        self._clock = clock
        self._told = told
        self._area = area
        self._fleet = fleet
        self._ports = PortNames()
        self._untold: dict[tuple[int, datetime], Told] = {}
        """Readings that were stored, in order, by switch and instant."""
        self._sites: dict[str, SiteState] = {}
        """What is to be told of sites: the latest of each."""
        self._telling = asyncio.Lock()
        self._woken = asyncio.Event()
        self._loop = asyncio.get_running_loop()

    async def run(self) -> None:
        """Tells of sites as it is noted, and again what could not be told."""
        while True:
            await self._woken.wait()
            self._woken.clear()
            try:
                await self.flush()
            except BusUnavailable as away:
                log.warning("the service cannot be told", extra=fields("tracker.untold", error=str(away)))
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
            self._untold[switch, at] = short

    async def note_again(self, result: PollResult) -> None:
        """A reading came that is stored, and may not have been told: whoever does not know it reads the
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
        self._untold.setdefault((result.switch, at), again)

    async def flush(self) -> None:
        """Returns once the engine has all that was noted. Raises BusUnavailable; then nothing is lost."""
        async with self._telling:
            told, sites = self._untold, self._sites
            self._untold, self._sites = {}, {}
            said = [*told.values(), *(SiteTold(site, state) for site, state in sites.items())]
            if not said:
                return
            try:
                await self._told.publish(self._area, await asyncio.to_thread(encode_told, said))
            except BusUnavailable:
                self._untold, self._sites = told | self._untold, sites | self._sites
                raise
