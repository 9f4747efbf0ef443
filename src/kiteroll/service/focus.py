"""Keeps an eye on addresses that just moved: asks the switches concerned for them alone, every few
seconds for a short while. That tells a move from a flap between two readings."""

import asyncio
import logging
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from kiteroll.collect.rounds import Attempt
from kiteroll.core.errors import KiteRollError
from kiteroll.core.mac import MacAddress
from kiteroll.service.logs import fields
from kiteroll.store import inventory

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)
_EVERY_S = 3.0
_FOR = timedelta(seconds=45)
_REST = timedelta(minutes=5)
"""An address is not looked at again so soon: its readings go on anyway."""
_MOST = 20
"""Addresses looked at in the same time: a loop makes thousands jump, and needs no closer look."""
_MOST_SWITCHES = 4


@dataclass(slots=True)
class _Look:
    mac: MacAddress
    places: tuple[tuple[str, int | None], ...]
    """(switch, VLAN)."""
    until: datetime


@dataclass(slots=True)
class _Rested:
    at: dict[MacAddress, datetime] = field(default_factory=dict)

    def may(self, mac: MacAddress, now: datetime) -> bool:
        self.at = {one: since for one, since in self.at.items() if now - since < _REST}
        return mac not in self.at


class Focus:
    def __init__(self, service: "Service") -> None:
        self._service = service
        self._looks: dict[MacAddress, _Look] = {}
        self._rested = _Rested()
        self._wake = asyncio.Event()
        self._loop = asyncio.get_running_loop()

    def begin(self, mac: MacAddress, places: Iterable[tuple[str, int | None]]) -> None:
        """Look at an address for a while. From any thread; what is too much is left out."""
        self._loop.call_soon_threadsafe(self._begin, mac, tuple(dict.fromkeys(places))[:_MOST_SWITCHES])

    def _begin(self, mac: MacAddress, places: tuple[tuple[str, int | None], ...]) -> None:
        now = self._service.clock.now()
        if mac in self._looks or len(self._looks) >= _MOST or not self._rested.may(mac, now):
            return
        self._looks[mac] = _Look(mac, places, now + _FOR)
        self._rested.at[mac] = now
        self._wake.set()

    async def run(self) -> None:
        clock = self._service.clock
        while True:
            now = clock.now()
            self._looks = {mac: look for mac, look in self._looks.items() if look.until > now}
            if not self._looks:
                self._wake.clear()
                await self._wake.wait()
                continue
            for look in list(self._looks.values()):
                try:
                    await self._look(look)
                except KiteRollError as wrong:
                    log.info("no closer look", extra=fields("focus.failed", error=str(wrong)))
            await clock.sleep(_EVERY_S)

    async def _look(self, look: _Look) -> None:
        service = self._service
        for name, vlan in look.places:
            row = await asyncio.to_thread(service.database.run, inventory.get_switch, name)
            reading = await service.rounds.glimpse(row.id, look.mac, vlan)
            if reading is None:
                continue
            changes = await service.intake.submit(service.intake.glimpse, row.id, name, reading)
            if changes:
                attempt = Attempt(
                    switch=row.id,
                    name=name,
                    started_at=reading.taken_at,
                    duration=timedelta(0),
                    outcome=reading,
                    changes=len(changes),
                )
                service.tell(attempt, changes)
