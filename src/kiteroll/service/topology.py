"""How the switches hang together, as it is known now: worked out anew when what it rests on changed."""

import asyncio
import logging
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError
from kiteroll.core.topology import At, Facts, PortRole, Role, Table, Topology, crowds, infer
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.store import past
from kiteroll.store.database import Database
from kiteroll.store.topology import ids_of_ports, topology_facts

log = logging.getLogger(__name__)
_FRESH = timedelta(seconds=4)
_QUICK_S = 0.05
"""Whoever asks works it out anew where that takes no longer."""
_TABLES_FRESH = timedelta(seconds=30)
"""Comparing whole tables costs more, and what it finds hardly changes."""


@dataclass(frozen=True, slots=True)
class Layout:
    """One picture of the network; an answer is made from one of them throughout."""

    topology: Topology = field(default_factory=lambda: Topology({}))
    crowds: Mapping[At, int] = field(default_factory=dict)
    uplink_ids: frozenset[int] = frozenset()
    """Ids of the ports that count as uplinks."""

    def crowd(self, at: At) -> int:
        """Addresses present on a port, as of some seconds ago."""
        return max(1, self.crowds.get(at, 1))


class TopologyView:
    def __init__(self, database: Database, clock: Clock, intake: Intake) -> None:
        self._database = database
        self._clock = clock
        self._intake = intake
        self._lock = threading.Lock()
        self._looked_at: datetime | None = None
        self._cost_s = 0.0
        self._tables_at: datetime | None = None
        self._kept: Facts | None = None
        self._tables: Mapping[str, Table] = {}
        self._layout = Layout()
        self._written: dict[int, past.Uplink] | None = None

    def get(self) -> Layout:
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
        return self._layout

    def look(self, *, anew: bool = False) -> None:
        """Work it out now, with `anew` from the latest tables as well. Raises StorageUnavailable."""
        with self._lock:
            if anew:
                self._tables_at = None
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
            self._tables_at = now
        if not fresh_tables and self._kept is not None and kept == self._kept:
            return
        self._kept = kept
        topology = infer(replace(kept, tables=self._tables))
        uplinks = {at: role for at, role in topology.roles().items() if role.role is Role.UPLINK}
        ids = self._database.run(ids_of_ports, list(uplinks))
        self._keep({ids[at]: role for at, role in uplinks.items() if at in ids}, now)
        self._layout = Layout(topology, crowds(self._tables), frozenset(ids.values()))

    def _keep(self, roles: Mapping[int, PortRole], now: datetime) -> None:
        """Write what became of uplinks, so that a question about the past is answered as things were."""
        if self._written is None:
            self._written = self._database.run(past.open_uplinks)
        written = self._written
        told = {
            port_id: past.Uplink(role.leads_to, role.nearest, role.why) for port_id, role in roles.items()
        }
        begun = {port_id: one for port_id, one in told.items() if written.get(port_id) != one}
        ended = written.keys() - told.keys()
        if begun or ended:
            self._database.run(past.keep_uplinks, begun, ended, now)
        self._written = told

    def at(self, instant: datetime) -> Layout:
        """As it was known at an instant; as it is now, where nothing was kept that early. Without crowds.

        Raises StorageUnavailable."""
        kept = self._database.run(past.uplinks_at, instant)
        if kept is None:
            return replace(self.get(), crowds={})
        return Layout(Topology(dict(kept.values())), {}, frozenset(kept))
