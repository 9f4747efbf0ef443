"""Hears what trackers of areas stored, has the same here, and passes it on as if it had been stored here."""

import asyncio
import logging
from collections.abc import Sequence
from datetime import datetime

from kiteroll.app.events import EventBus, ReadingStored
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.trackers.told import SiteTold, Told, decode_told
from kiteroll.app.turns import Turns
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.bus.connection import connected
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.told import ToldBus, ToldMessage
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
        """When what was last told of each switch was taken."""

    async def run(self) -> None:
        """Until cancelled. Raises ConfigError; an engine that is away is waited for."""
        while True:
            try:
                async with connected(self._settings, "kiteroll areas", _INBOX) as client:
                    bus = ToldBus(client, self._settings)
                    await bus.prepare()
                    async for messages in bus.events(self._epoch):
                        for one in messages:
                            await self._apply(one)
                        if messages:
                            await messages[-1].confirm()
            except (BusUnavailable, StorageUnavailable) as away:
                log.warning("the trackers are not heard", extra=fields("areas.away", error=str(away)))
            await self._clock.sleep(_AGAIN_S)

    async def _apply(self, message: ToldMessage) -> None:
        """Raises StorageUnavailable."""
        try:
            several = await asyncio.to_thread(decode_told, message.data)
        except Invalid as wrong:
            log.error("a tracker is not understood", extra=fields("area.refused", error=str(wrong)))
            return
        await self._turns.run(self._apply_all, several)
        for told in several:
            if isinstance(told, SiteTold):
                self._intake.follow(told.site, told.state)
            elif self._latest.get(told.switch_id) == _instant(told):
                await self._collector_bus.note_outcome(told.switch_id, _instant(told), told)

    def _apply_all(self, several: Sequence[Told]) -> None:
        """In a turn. Raises StorageUnavailable."""
        for told in several:
            if isinstance(told, SiteTold):
                continue
            latest = self._latest.get(told.switch_id)
            if latest is not None and _instant(told) <= latest:
                continue  # it comes again
            if isinstance(told, ReadingStored):
                self._ingestor.follow(told)
            else:
                self._bus.publish(told)
            self._latest[told.switch_id] = _instant(told)


def _instant(told: Outcome) -> datetime:
    return told.summary.taken_at if isinstance(told, ReadingStored) else told.at
