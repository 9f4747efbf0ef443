"""When the topology is inferred again: the same pace for the running service and for replays."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from kiteroll.core.model.address_counts import address_counts, newcomer_counts
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.areas import infer_areas
from kiteroll.core.topology.inference import TopologyFacts
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import judged_ageing

FACTS_MAX_AGE = timedelta(seconds=4)
TABLES_MAX_AGE = timedelta(seconds=30)
"""Comparing whole tables costs more, and what it finds hardly changes."""

REMEMBERED = timedelta(days=7)
"""As long as a move is reported of who was away."""


@dataclass(frozen=True, slots=True)
class TopologySnapshot:
    """One picture of the network; an answer is made from one of them throughout."""

    topology: Topology = field(default_factory=lambda: Topology({}))
    counts: Mapping[PortRef, int] = field(default_factory=dict)
    newcomers: Mapping[PortRef, int] = field(default_factory=dict)
    """Addresses that ports learned within the last ageing time."""

    def address_count(self, port: PortRef) -> int:
        """Addresses present on a port, as of some seconds ago; at least 1."""
        return max(1, self.counts.get(port, 1))


class TopologyRefresh:
    """Keeps the last snapshot and what it was made from, so that nothing is inferred twice from the same."""

    def __init__(self) -> None:
        self.snapshot = TopologySnapshot()
        self.claimed: frozenset[PortRef] = frozenset()
        """Ports that stay under their rules though they look like uplinks."""
        self._facts: TopologyFacts | None = None
        self._tables: Mapping[str, MacTable] = {}
        self._facts_at: datetime | None = None
        self._tables_at: datetime | None = None
        self._former: dict[PortRef, datetime] = {}
        """Ports that were uplinks, and until when."""
        self._since: dict[PortRef, datetime] = {}
        """Ports that became uplinks later than at the start."""

    def recall(self, former: Mapping[PortRef, datetime]) -> None:
        """Ports that were uplinks in an earlier run, and until when."""
        self._former = dict(former) | self._former

    @property
    def facts_at(self) -> datetime | None:
        """Of when the facts are that the snapshot agrees with."""
        return self._facts_at

    @property
    def never_done(self) -> bool:
        return self._facts_at is None

    def stale(self, now: datetime) -> bool:
        return self._facts_at is None or now - self._facts_at > FACTS_MAX_AGE

    def refresh(
        self,
        now: datetime,
        facts: Callable[[], TopologyFacts],
        tables: Callable[[], Mapping[str, MacTable]],
        *,
        force: bool = False,
    ) -> bool:
        """Work it out where what it rests on is older than it may be; with `force` from the latest facts
        and tables in any case. Returns whether the snapshot is a new one."""
        if not force and not self.stale(now):
            return False
        latest = replace(facts(), claimed=self.claimed)
        new_tables = force or self._tables_at is None or now - self._tables_at > TABLES_MAX_AGE
        if new_tables:
            self._tables = tables()
            self._tables_at = now
        if not new_tables and latest == self._facts:
            self._facts_at = now
            return False
        self._facts = latest
        topology = infer_areas(replace(latest, tables=self._tables))
        self._remember(topology, now)
        self._facts_at = now
        self.snapshot = TopologySnapshot(
            topology.remembering(self._former, self._since),
            address_counts(self._tables),
            newcomer_counts(self._tables, lambda table: judged_ageing(table.ageing)),
        )
        return True

    def _remember(self, topology: Topology, now: datetime) -> None:
        uplinks = topology.uplinks()
        before = self.snapshot.topology.uplinks().keys()
        lost = before - uplinks.keys()
        begun = uplinks.keys() - before if before else ()
        since = self._since | dict.fromkeys(begun, now)
        self._since = {port: at for port, at in since.items() if port in uplinks}
        self._former = {
            port: until
            for port, until in (self._former | dict.fromkeys(lost, now)).items()
            if port not in uplinks and now - until <= REMEMBERED
        }
