"""Asks the switches concerned for an address that just moved, and for it alone, every few seconds for
a short while. That tells a move from a flap between two readings."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.collect.poller import Poller
from kiteroll.core.errors import KiteRollError
from kiteroll.core.findings.address_evaluation import Probe
from kiteroll.core.model.mac import MacAddress
from kiteroll.store import inventory
from kiteroll.store.database import Database
from kiteroll.tasks import end_tasks

log = logging.getLogger(__name__)
_EVERY_S = 3.0
_FOR = timedelta(seconds=45)
_REST = timedelta(minutes=5)
"""An address is not probed again so soon, unless it jumped again: its readings go on anyway."""
_MAX_ADDRESSES = 20
"""Addresses probed at the same time: a loop makes thousands jump, and needs no closer look."""
_MAX_SWITCHES = 4


@dataclass(frozen=True, slots=True)
class _Probing:
    mac: MacAddress
    places: tuple[tuple[str, int | None], ...]
    until: datetime


class FollowupProbe:
    def __init__(
        self,
        database: Database,
        poller: Poller[Outcome | None],
        ingestor: ReadingIngestor,
        clock: Clock,
    ) -> None:
        self._database = database
        self._poller = poller
        self._ingestor = ingestor
        self._clock = clock
        self._loop: asyncio.AbstractEventLoop | None = None
        self._probing: dict[MacAddress, _Probing] = {}
        self._rested: dict[MacAddress, tuple[datetime, datetime]] = {}
        """When each was last probed, and for which jump."""
        self._wake = asyncio.Event()

    def request(self, probes: Sequence[Probe]) -> None:
        """Probe these for a while. From any thread; what is too much, or comes before `run`, is left out."""
        if probes and self._loop is not None:
            self._loop.call_soon_threadsafe(self._begin, tuple(probes))

    def _begin(self, probes: Sequence[Probe]) -> None:
        now = self._clock.now()
        self._rested = {mac: last for mac, last in self._rested.items() if now - last[0] < _REST}
        for probe in probes:
            if len(self._probing) >= _MAX_ADDRESSES:
                return
            if probe.mac in self._probing or self._rests(probe):
                continue
            self._probing[probe.mac] = _Probing(probe.mac, probe.places[:_MAX_SWITCHES], now + _FOR)
            self._rested[probe.mac] = (now, probe.jumped_at)
            self._wake.set()

    def _rests(self, probe: Probe) -> bool:
        last = self._rested.get(probe.mac)
        return last is not None and probe.jumped_at <= last[1]

    async def run(self) -> None:
        """Each switch is asked by itself: one that does not answer, or slowly, holds up no other."""
        self._loop = asyncio.get_running_loop()
        asking: dict[str, asyncio.Task[None]] = {}
        try:
            while True:
                now = self._clock.now()
                self._probing = {mac: one for mac, one in self._probing.items() if one.until > now}
                if not self._probing:
                    self._wake.clear()
                    await self._wake.wait()
                    continue
                for name, addresses in self._by_switch().items():
                    if name not in asking:
                        asking[name] = asyncio.create_task(self._ask(name, addresses), name=f"probe:{name}")
                await self._clock.sleep(_EVERY_S)
                for name in [name for name, task in asking.items() if task.done()]:
                    asking.pop(name).result()
        finally:
            await end_tasks(asking.values())

    def _by_switch(self) -> dict[str, list[tuple[MacAddress, int | None]]]:
        found: dict[str, list[tuple[MacAddress, int | None]]] = defaultdict(list)
        for one in self._probing.values():
            for name, vlan in one.places:
                found[name].append((one.mac, vlan))
        return found

    async def _ask(self, name: str, addresses: Sequence[tuple[MacAddress, int | None]]) -> None:
        try:
            row = await asyncio.to_thread(self._database.run, inventory.get_switch, name)
            for mac, vlan in addresses:
                if mac not in self._probing:
                    continue  # its time is over: this switch took long over the ones before
                reading = await self._poller.probe_address(row.id, mac, vlan)
                if reading is not None:
                    await self._ingestor.ingest_probe(row.id, name, reading)
        except KiteRollError as wrong:
            log.info("addresses are not probed", extra=fields("probe.failed", switch=name, error=str(wrong)))
