"""How the switches are connected, as it is known now or was known then, for the running service."""

import logging
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.cables import UplinkRecord, as_recorded, from_records
from kiteroll.core.topology.refresh import REMEMBERED, TopologyRefresh, TopologySnapshot
from kiteroll.core.topology.roles import Topology
from kiteroll.store import port_history
from kiteroll.store.database import Database
from kiteroll.store.topology import ids_of_ports, topology_facts

log = logging.getLogger(__name__)
_QUICK_S = 0.05
"""A caller refreshes it where that takes no longer."""
_LONG_S = 0.2
_PAUSE = 10
"""Between two that take longer, times what one takes: of a core, it has a tenth at most."""
_LONGEST_PAUSE_S = 30.0
_PAST_KEPT = 2


@dataclass(frozen=True, slots=True)
class NetworkView:
    """One picture of the network; an answer is made from one of them throughout."""

    snapshot: TopologySnapshot = field(default_factory=TopologySnapshot)
    uplinks: Mapping[PortRef, int] = field(default_factory=dict)
    """The ports that count as uplinks, with their ids."""
    facts_at: datetime | None = None
    """Of when the facts are that it agrees with."""

    @property
    def topology(self) -> Topology:
        return self.snapshot.topology

    def uplink_ids(self, switch: str | None = None) -> frozenset[int]:
        """Of all uplinks, or of those of one switch: a question about it need not name the others."""
        if switch is None:
            return frozenset(self.uplinks.values())
        return frozenset(number for (name, _), number in self.uplinks.items() if name == switch)

    def address_count(self, port: PortRef) -> int:
        return self.snapshot.address_count(port)

    def with_counts(self, counts: Mapping[PortRef, int]) -> "NetworkView":
        return replace(self, snapshot=replace(self.snapshot, counts=counts))


@dataclass(frozen=True, slots=True)
class _Past:
    """How it was, and what is recorded of that."""

    recorded: Mapping[int, tuple[PortRef, UplinkRecord]]
    view: NetworkView


class TopologyView:
    def __init__(
        self, database: Database, clock: Clock, fleet: TrackedFleet, *, records: bool = True
    ) -> None:
        """`records`: whether what became of uplinks is recorded from here; one service does."""
        self._database = database
        self._clock = clock
        self._fleet = fleet
        self._records = records
        self._lock = threading.Lock()
        self._refresh = TopologyRefresh()
        self._view = NetworkView()
        self._cost_s = 0.0
        self._done_at: float | None = None
        """By the monotonic clock."""
        self._past: tuple[_Past, ...] = ()
        """Pictures of the past that were asked for last: cables hardly change, and what is behind each takes
        long to work out in a large network."""
        self._recorded: dict[int, UplinkRecord] | None = None

    def now(self) -> NetworkView:
        """A few seconds old at most where working it out is quick; where it takes long (thousands of
        switches), whoever asks gets the one before, and `refresh_if_stale` brings the next.

        Raises StorageUnavailable before it was worked out once.
        """
        if self._refresh.never_done:
            self.refresh()
        elif (
            self._cost_s <= _QUICK_S
            and self._refresh.stale(self._clock.now())
            and self._lock.acquire(blocking=False)
        ):
            try:
                self._work_out(force=False)
            finally:
                self._lock.release()
        return self._view

    @property
    def latest(self) -> NetworkView:
        """What was worked out last, at no cost; empty before the first time."""
        return self._view

    def is_uplink(self, port: PortRef) -> bool:
        """As it was worked out last, at no cost."""
        return self.latest.topology.is_uplink(port)

    def note_claims(self, ports: frozenset[PortRef]) -> None:
        """Ports that stay under their rules though they look like uplinks: the next view knows of it."""
        self._refresh.claimed = ports

    def refresh(self) -> NetworkView:
        """Work it out now, from the latest facts and tables. Raises StorageUnavailable."""
        with self._lock:
            self._work_out(force=True)
        return self._view

    def switch_renamed(self, before: str, after: str) -> None:
        """What is remembered of ports goes by the names of switches: all is worked out anew from the records,
        as after a start, by whoever asks next."""
        self._refresh = TopologyRefresh()
        self._recorded = None

    def refresh_unless_costly(self) -> NetworkView | None:
        """The same; None where it was done so short a time ago that, by what it takes, it would be at work
        much of the time: when the switches of a large network are read for the first time, one by one."""
        return None if self._rests() else self.refresh()

    def refresh_if_stale(self) -> None:
        """Less often where it takes long. Raises StorageUnavailable."""
        if self._refresh.stale(self._clock.now()) and not self._rests():
            with self._lock:
                self._work_out(force=False)

    def at(self, instant: datetime) -> NetworkView:
        """As it was known at an instant; as it is now, where nothing was recorded that early. Without
        address counts, and in the areas there are now. Raises StorageUnavailable."""
        recorded = self._database.run(port_history.uplinks_at, instant)
        if recorded is None:
            return self.now().with_counts({})
        areas = self.now().topology.areas()
        for past in self._past:
            if past.recorded == recorded and past.view.topology.areas() == areas:
                return past.view
        topology = Topology(from_records(dict(recorded.values())), areas=areas)
        uplinks = {port: number for number, (port, _) in recorded.items()}
        view = NetworkView(TopologySnapshot(topology), uplinks)
        self._past = (_Past(recorded, view), *self._past[: _PAST_KEPT - 1])
        return view

    def _work_out(self, *, force: bool) -> None:
        began = self._clock.monotonic()
        now, refresh = self._clock.now(), self._refresh
        if refresh.never_done:
            refresh.recall(self._database.run(port_history.former_uplinks, now - REMEMBERED))
        changed = refresh.refresh(
            now,
            lambda: self._database.run(topology_facts),
            lambda: self._fleet.tracker.tables(),
            force=force,
        )
        if changed:
            snapshot = refresh.snapshot
            uplinks = snapshot.topology.uplinks()
            ids = self._database.run(ids_of_ports, list(uplinks))
            if self._records:
                self._record(snapshot.topology, ids, now)
            self._view = NetworkView(snapshot, ids)
        self._view = replace(self._view, facts_at=refresh.facts_at)
        self._done_at = self._clock.monotonic()
        self._cost_s = self._done_at - began

    def _rests(self) -> bool:
        """Whether it was worked out so short a time ago that, by what that takes, it is not to be again."""
        if self._refresh.never_done or self._done_at is None or self._cost_s <= _LONG_S:
            return False
        pause_s = min(_LONGEST_PAUSE_S, _PAUSE * self._cost_s)
        return self._clock.monotonic() < self._done_at + pause_s

    def _record(self, topology: Topology, ids: Mapping[PortRef, int], now: datetime) -> None:
        """Record what became of uplinks, so that a question about the past is answered as things were."""
        uplinks = topology.uplinks()
        before = self._recorded
        if before is None:
            before = self._database.run(port_history.open_uplinks)
        elif (uplinks, ids) == (self._view.topology.uplinks(), self._view.uplinks):
            return  # as they were when the view before was recorded
        records, begun, written_out = {}, {}, []
        for port, record in as_recorded(topology).items():
            if (port_id := ids.get(port)) is None:
                continue
            records[port_id], known = record, before.get(port_id)
            if record.same_way(known):
                continue
            if replace(record, leads_to=uplinks[port].leads_to).same_way(known):
                # By an earlier version, or while part of the network was not known.
                written_out.append(port_id)
            else:
                begun[port_id] = record
        ended = before.keys() - records.keys()
        if written_out:
            self._database.run(port_history.shorten_uplinks, written_out)
        if begun or ended:
            self._database.run(port_history.record_uplinks, begun, ended, now)
        self._recorded = records
