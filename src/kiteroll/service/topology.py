"""How the switches hang together, as it is known now: worked out anew when what it rests on changed."""

import threading
from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.core.topology import At, Role, Table, Topology, infer
from kiteroll.service.intake import Intake
from kiteroll.store.database import Database
from kiteroll.store.topology import KeptFacts, topology_facts

_FRESH = timedelta(seconds=4)
_TABLES_FRESH = timedelta(seconds=30)
"""Comparing whole tables costs more, and what it finds hardly changes."""


class TopologyView:
    def __init__(self, database: Database, clock: Clock, intake: Intake) -> None:
        self._database = database
        self._clock = clock
        self._intake = intake
        self._lock = threading.Lock()
        self._looked_at: datetime | None = None
        self._tables_at: datetime | None = None
        self._kept: KeptFacts | None = None
        self._tables: Mapping[str, Table] = {}
        self._crowds: Mapping[At, int] = {}
        self._topology = Topology({})
        self._uplink_ids: frozenset[int] = frozenset()

    def get(self) -> Topology:
        """At most a few seconds old. Raises StorageUnavailable."""
        with self._lock:
            now = self._clock.now()
            if self._looked_at is None or now - self._looked_at > _FRESH:
                self._look(now)
                self._looked_at = now
            return self._topology

    def refresh(self) -> None:
        """Look again at the next question: the operator changed something."""
        with self._lock:
            self._looked_at = None

    def uplink_ids(self) -> frozenset[int]:
        """Ids of the ports that count as uplinks."""
        self.get()
        return self._uplink_ids

    def crowd(self, at: At) -> int:
        """Addresses present on a port, as of some seconds ago."""
        return max(1, self._crowds.get(at, 1))

    def _look(self, now: datetime) -> None:
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
