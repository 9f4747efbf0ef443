"""Hears what trackers of areas stored, has the same here, and passes it on as if it had been stored here."""

import asyncio
import logging
from collections.abc import Sequence
from datetime import datetime

from kiteroll.app.events import EventBus, ReadingStored
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.trackers.reports import Report, SiteReport, decode_reports
from kiteroll.app.turns import Turns
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.bus.connection import connected
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.tracker_reports import ReportBus, ReportMessage
from kiteroll.clock import Clock
from kiteroll.core.errors import BusUnavailable, Invalid, StorageUnavailable

log = logging.getLogger(__name__)
_INBOX = "_INBOX_areas"
_AGAIN_S = 2.0


class TrackerEvents:
    def __init__(
        self,
        settings: BusSettings,
        epoch: int,
        turns: Turns,
        ingestor: ReadingIngestor,
        intake: SiteIntake,
        bus: EventBus,
        collector_bus: CollectorBus,
        clock: Clock,
    ) -> None:
        """`epoch`: of the lease of the database."""
        self._settings = settings
        self._epoch = epoch
        self._turns = turns
        self._ingestor = ingestor
        self._intake = intake
        self._bus = bus
        self._collector_bus = collector_bus
        self._clock = clock
        self._latest: dict[int, datetime] = {}
        """When the reading was taken that was last reported of each switch."""

    async def run(self) -> None:
        """Until cancelled. Raises ConfigError; an engine that is away is waited for."""
        while True:
            try:
                async with connected(self._settings, "kiteroll areas", _INBOX) as client:
                    bus = ReportBus(client, self._settings)
                    await bus.prepare()
                    async for messages in bus.events(self._epoch):
                        for one in messages:
                            await self._apply(one)
                        if messages:
                            await messages[-1].confirm()
            except (BusUnavailable, StorageUnavailable) as away:
                log.warning("the trackers are not heard", extra=fields("areas.away", error=str(away)))
            await self._clock.sleep(_AGAIN_S)

    async def _apply(self, message: ReportMessage) -> None:
        """Raises StorageUnavailable."""
        try:
            several = await asyncio.to_thread(decode_reports, message.data)
        except Invalid as wrong:
            log.error("a tracker is not understood", extra=fields("area.refused", error=str(wrong)))
            return
        await self._turns.run(self._apply_all, several)
        for report in several:
            if isinstance(report, SiteReport):
                self._intake.follow(report.site, report.state)
            elif self._latest.get(report.switch_id) == _instant(report):
                await self._collector_bus.note_outcome(report.switch_id, _instant(report), report)

    def _apply_all(self, several: Sequence[Report]) -> None:
        """In a turn. Raises StorageUnavailable."""
        for report in several:
            if isinstance(report, SiteReport):
                continue
            latest = self._latest.get(report.switch_id)
            if latest is not None and _instant(report) <= latest:
                continue  # it comes again
            if isinstance(report, ReadingStored):
                self._ingestor.follow(report)
            else:
                self._bus.publish(report)
            self._latest[report.switch_id] = _instant(report)


def _instant(report: Outcome) -> datetime:
    return report.summary.taken_at if isinstance(report, ReadingStored) else report.at
