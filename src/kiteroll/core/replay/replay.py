"""Plays readings through the tracker and the finding engine that the service runs, on a virtual clock.

For looking into the records of an isolated site, reproducing a report, trying thresholds; and for
accuracy benchmarks and tests over simulated networks.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.contested import contested_by
from kiteroll.core.findings.engine import FindingEngine, SwitchRead
from kiteroll.core.findings.finding import Finding
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Restarted
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Reading, mac_of
from kiteroll.core.model.stay import Place
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.intervals import IntervalLog
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.topology.home import Confidence, Home, choose_home
from kiteroll.core.topology.roles import Role, Topology

_MAX_STEPS_A_GAP = 60
"""Steps between two readings: over longer gaps the clock takes longer strides, and what time alone
changes is dated to the end of a stride. Conditions that last are detected in each, before any clears."""


@dataclass(frozen=True, slots=True)
class HomePlace:
    place: Place
    confidence: Confidence


class Replay:
    def __init__(
        self,
        thresholds: Thresholds | None = None,
        *,
        hold_time: timedelta | None = None,
        shared: Collection[str] = (),
        rules: RuleBook | None = None,
        areas: Mapping[str, str] | None = None,
    ) -> None:
        """`shared`: prefixes of shared addresses, as lower-case hex digits; `areas`: switches of named areas,
        and the area of each."""
        self.engine = FindingEngine(thresholds or Thresholds())
        self.facts = MemoryFacts(hold_time=hold_time, shared=shared, rules=rules or RuleBook(), areas=areas)
        self._findings: dict[str, Finding] = {}
        """By key, as they changed last, in order of opening."""
        self.homes: IntervalLog[MacAddress, HomePlace] = IntervalLog()
        self.roles: IntervalLog[PortRef, Role] = IntervalLog()
        self.readings = 0
        self.ignored = 0
        """Readings that were not later than the last one of their switch."""
        self.began_at: datetime | None = None
        self._now: datetime | None = None
        self._wake_at: datetime | None = None
        self._topology: Topology | None = None
        self._noted: tuple[int, Collection[PortRef]] | None = None
        """Readings and uplinks that the logs rest on."""

    @property
    def now(self) -> datetime | None:
        """The virtual clock: the latest reading's time; None before the first."""
        return self._now

    def apply(self, reading: Reading) -> list[Finding]:
        """Findings that changed up to this reading and with it, each at its last state. A reading that
        is not later than the last one of its switch changes nothing; the clock never goes back."""
        changed = {one.key: one for one in self.advance(reading.taken_at)}
        self.readings += 1
        if self.began_at is None:
            self.began_at = reading.taken_at
        now = self._now = max(self._now or reading.taken_at, reading.taken_at)
        first = not self.facts.knows(reading.switch)
        known = self.facts.ledger.knows
        new = self.facts.tracker.new_keys(reading)
        unknown = frozenset(mac for key in new if not known(mac := mac_of(key)))
        changes = self.facts.apply(reading)
        if changes is None:
            self.ignored += 1
            return list(changed.values())
        if first:
            self.engine.rules_changed()  # a switch more: rules of its groups reach it now
        self.engine.enqueue(
            SwitchRead(
                switch=reading.switch,
                at=reading.taken_at,
                changes=changes,
                topology_changes=reading.device.topology_changes,
                bridge_address=reading.device.bridge_address,
                unknown=unknown,
                first=first,
            )
        )
        changed |= {one.key: one for one in self._step(now)}
        self._note_homes([change.mac for change in changes if not isinstance(change, Restarted)], now)
        return list(changed.values())

    @property
    def findings(self) -> Mapping[str, Finding]:
        """Every finding there was, by key, at its last state, in order of opening."""
        return {**self._findings, **self.engine.lifecycle.live()}

    def advance(self, until: datetime) -> list[Finding]:
        """Let time pass without a reading: what the engine's wake-ups change."""
        changed: dict[str, Finding] = {}
        if self._now is None or self._wake_at is None:
            return []
        stride = (until - self._now) / _MAX_STEPS_A_GAP
        while (wake_at := max(self._wake_at, self._now + stride)) < until:
            changed |= {one.key: one for one in self._step(wake_at)}
        return list(changed.values())

    def home_of(self, mac: MacAddress) -> Home:
        if self._now is None:
            return choose_home(())
        contested = contested_by(self.engine.lifecycle.live().values())
        return choose_home(self.facts.sightings([mac], self._now)[mac], self._now, contested)

    def _step(self, now: datetime) -> list[Finding]:
        self._now = self.facts.now = now
        step = self.engine.step(self.facts, self._cleared, now)
        self._findings |= {one.key: one for one in step.changed}
        self._wake_at = step.wake_at
        topology = self.facts.topology(fresh=False)
        if topology is not self._topology:
            self._topology = topology
            rests_on = (self.readings, topology.uplinks().keys())
            if rests_on != self._noted:
                self._note_roles(topology, now)
                self._note_homes(self.facts.ledger.macs(), now)
                self._noted = rests_on
        return step.changed

    def _cleared(self, keys: Sequence[str]) -> Mapping[str, Finding]:
        return {key: self._findings[key] for key in keys if key in self._findings}

    def _note_roles(self, topology: Topology, now: datetime) -> None:
        uplinks = topology.uplinks()
        for port in self.roles.subjects() - uplinks.keys():
            self.roles.record(port, None, now)
        for port in uplinks:
            self.roles.record(port, Role.UPLINK, now)

    def _note_homes(self, macs: Sequence[MacAddress], now: datetime) -> None:
        for mac, sightings in self.facts.sightings(list(dict.fromkeys(macs)), now).items():
            home = choose_home(sightings)
            at = None if home.at is None else HomePlace(home.at.stay.place, home.confidence)
            self.homes.record(mac, at, now)
