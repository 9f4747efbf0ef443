"""How the switches hang together, as it is known now: worked out anew when what it rests on changed."""

import asyncio
import logging
import threading
from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError
from kiteroll.core.topology import At, Role, Table, Topology, infer
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.store.database import Database
from kiteroll.store.topology import KeptFacts, topology_facts

log = logging.getLogger(__name__)
_FRESH = timedelta(seconds=4)
_QUICK_S = 1.0
_TABLES_FRESH = timedelta(seconds=30)
"""Comparing whole tables costs more, and what it finds hardly changes."""


class TopologyView:
    def __init__(self, database: Database, clock: Clock, intake: Intake) -> None:
        self._database = database
        self._clock = clock
        self._intake = intake
        self._lock = threading.Lock()
        self._looked_at: datetime | None = None
        self._cost_s = 0.0
        self._tables_at: datetime | None = None
        self._kept: KeptFacts | None = None
        self._tables: Mapping[str, Table] = {}
        self._crowds: Mapping[At, int] = {}
        self._topology = Topology({})
        self._uplink_ids: frozenset[int] = frozenset()

    def get(self) -> Topology:
        """A few seconds old at most where working it out is quick; where it takes long (thousands of
        switches), whoever asks gets the one before, and `keep_fresh` brings the next.

        Raises StorageUnavailable before it was worked out once.
        """
        if self._looked_at is None:
            self.look()
        elif self._cost_s <= _QUICK_S and self._stale() and self._lock.acquire(blocking=False):
            try:
                self._look()
            finally:
                self._lock.release()
        return self._topology

    def look(self) -> None:
        """Work it out now. Raises StorageUnavailable."""
        with self._lock:
            self._look()

    async def keep_fresh(self) -> None:
        while True:
            await self._clock.sleep(_FRESH.total_seconds())
            if self._stale():
                try:
                    await asyncio.to_thread(self.look)
                except KiteRollError as away:
                    log.warning("roles of ports wait", extra=fields("topology.wait", error=str(away)))

    def _stale(self) -> bool:
        return self._looked_at is None or self._clock.now() - self._looked_at > _FRESH

    def uplink_ids(self) -> frozenset[int]:
        """Ids of the ports that count as uplinks."""
        self.get()
        return self._uplink_ids

    def crowd(self, at: At) -> int:
        """Addresses present on a port, as of some seconds ago."""
        return max(1, self._crowds.get(at, 1))

    def _look(self) -> None:
        began = self._clock.monotonic()
        self._work_out(self._clock.now())
        self._looked_at = self._clock.now()
        self._cost_s = self._clock.monotonic() - began

    def _work_out(self, now: datetime) -> None:
        kept = self._database.run(topology_facts)
        fresh_tables = self._tables_at is None or now - self._tables_at > _TABLES_FRESH
        if fresh_tables:
            self._tables = self._intake.tracker.tables()
            self._crowds = _crowds(self._tables)
            self._tables_at = now
        if not fresh_tables and self._kept is not None and kept == self._kept:
            return
        self._kept = kept
        self._topology = infer(replace(kept.facts, tables=self._tables))
        self._uplink_ids = frozenset(
            kept.port_ids[at]
            for at, role in self._topology.roles().items()
            if role.role is Role.UPLINK and at in kept.port_ids
        )


def _crowds(tables: Mapping[str, Table]) -> dict[At, int]:
    return {
        (switch, table.names[number]): count
        for switch, table in tables.items()
        for number, count in Counter(table.learned.values()).items()
        if number in table.names
    }
