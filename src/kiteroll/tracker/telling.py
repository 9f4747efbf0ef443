"""Tells the service what was stored: each reading before it is confirmed, so that none is kept from it."""

import asyncio
from datetime import datetime

from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.site_intake import SiteState
from kiteroll.app.trackers.told import PortNames, SiteTold, Told, encode_told
from kiteroll.bus.told import ToldBus
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary


class Telling:
    def __init__(self, told: ToldBus, area: str, ingestor: ReadingIngestor) -> None:
        self._told = told
        self._area = area
        self._ingestor = ingestor
        self._ports = PortNames()
        self._sites: dict[str, SiteState] = {}
        """What is to be told of sites: the latest of each."""
        self._woken = asyncio.Event()
        self._loop = asyncio.get_running_loop()

    async def run(self) -> None:
        """Tells of sites as it is noted. Raises BusUnavailable."""
        while True:
            await self._woken.wait()
            self._woken.clear()
            sites, self._sites = self._sites, {}
            for site, state in sites.items():
                await self._told.tell(self._area, encode_told(SiteTold(site, state)))

    def note_site(self, site: str, state: SiteState) -> None:
        """From any thread."""
        self._loop.call_soon_threadsafe(self._note_site, site, state)

    def _note_site(self, site: str, state: SiteState) -> None:
        self._sites[site] = state
        self._woken.set()

    async def tell_outcome(self, switch: int, at: datetime, outcome: Outcome | None) -> None:
        """A reading was stored. Raises BusUnavailable."""
        if not isinstance(outcome, ReadingStored):
            if outcome is not None:
                await self._tell(outcome, switch, at)
            return
        try:
            await self._tell(self._ports.in_short(outcome), switch, at)
        except BusUnavailable:
            self._ports.forget(switch)
            raise

    async def tell_again(self, result: PollResult) -> None:
        """A reading came that is stored, and may not have been told: whoever does not know it reads the
        records. Raises BusUnavailable."""
        at, reading = result.started_at, result.outcome
        checkpoint = self._ingestor.tracker.checkpoint(result.name)
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
        await self._tell(again, result.switch, at)

    async def _tell(self, told: Told, switch: int, at: datetime) -> None:
        await self._told.tell(self._area, encode_told(told), f"{switch} {at.isoformat()}")
