"""The one finding engine: events, facts and the time go in; findings, probes and a wake-up come out.

The running service drives it with the records of its database, `kiteroll replay`, the accuracy bench
and the tests with readings in memory. It holds no clock: whoever drives it runs `step` when an event
came or the wake-up is due.
"""

from collections import deque
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.address_evaluation import AddressEvaluation, Probe
from kiteroll.core.findings.bursts import BurstHistory
from kiteroll.core.findings.bursts import Step as BurstStep
from kiteroll.core.findings.condition_watch import ConditionWatch
from kiteroll.core.findings.contested import ends_of_loops
from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection, Finding
from kiteroll.core.findings.kinds import (
    address_flood,
    addresses_left_out,
    enrolment_expires,
    loop,
    switch_restarted,
    uplink_claimed,
)
from kiteroll.core.findings.kinds.moved_together import MovesTogether
from kiteroll.core.findings.lifecycle import LEAD, FindingLifecycle
from kiteroll.core.findings.loop_watch import LoopWatch
from kiteroll.core.findings.path_changes import PathChanges
from kiteroll.core.findings.port_rule_watch import PortRuleWatch
from kiteroll.core.findings.switch_identities import SwitchIdentities
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.findings.unseen import as_last_read
from kiteroll.core.model.changes import Change, Restarted
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.topology.refresh import FACTS_MAX_AGE
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.admission import LeftOut

_SEVERAL_PORTS_EVERY = timedelta(minutes=10)
_LOOP_SUMMARY_EVERY = timedelta(seconds=10)
_MAX_ADDRESSES = 5_000
"""Asked about at once."""
_MOMENT = timedelta(seconds=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchRead:
    """A reading of a switch was applied, or one address of it probed."""

    switch: str
    at: datetime
    changes: tuple[Change, ...]
    topology_changes: int | None = None
    bridge_address: MacAddress | None = None
    """The one it reports; None when it reports none."""
    left_out: LeftOut | None = None
    """New addresses of it that were not taken."""
    unknown: frozenset[MacAddress] = frozenset()
    """Addresses in it that no switch had before."""
    first: bool = False
    """The first reading of the switch there ever was: everybody appears in it, which is no news."""


@dataclass(frozen=True, slots=True)
class Step:
    changed: list[Finding]
    """Findings that changed, each at its last state."""
    probes: list[Probe]
    wake_at: datetime
    """Run the next step by then, if no event comes before."""
    looked_at: datetime | None
    """When it was looked at how things are, if it was: what goes on does so as of then."""


ClearedFindings = Callable[[Sequence[str]], Mapping[str, Finding]]
"""Findings by key, of those that were ever kept."""


class FindingEngine:
    def __init__(
        self,
        thresholds: Thresholds,
        findings: Iterable[Finding] = (),
        known_since: Mapping[str, datetime] | None = None,
    ) -> None:
        """`findings`: from an earlier run, as for `FindingLifecycle`. `known_since`: of the engine whose
        place it takes."""
        findings = list(findings)
        self.thresholds = thresholds
        self.lifecycle = FindingLifecycle(thresholds, findings)
        self._bursts = BurstHistory(max(thresholds.burst_window, thresholds.loop_window))
        self._loops = LoopWatch(thresholds.loop_window)
        self._burst_switches: dict[str, datetime] = {}
        self._addresses = AddressEvaluation(thresholds)
        self._together = MovesTogether(thresholds)
        self._paths = PathChanges(thresholds)
        self._identities: SwitchIdentities | None = None
        """Not known before the first step."""
        self._breaches = PortRuleWatch(uplink_claimed.ports_of(findings), known_since)
        self._conditions = ConditionWatch(thresholds)
        self._rules = RuleBook()
        self._rules_changed = True
        self._rules_until: datetime | None = None
        """When an entry of a roll expires next."""
        self._topology: Topology | None = None
        self._topology_number = 0
        """Rises with each other one."""
        self._judged_by: dict[str, int] = {}
        """By switch: number of the topology its rules were evaluated by last."""
        self._arrived: list[SwitchRead] = []
        self._waiting: deque[tuple[datetime, SwitchRead]] = deque()
        """Events, and the step they came before: what they say is judged by roles worked out later, for
        the same reading may show other uplinks."""
        self._unevaluated: set[str] = set()
        self._several_ports_at: datetime | None = None
        self._summarised_at: dict[str, datetime] = {}
        self._shown: frozenset[str] = frozenset()
        """Keys of how things were found to be at the last look."""
        # What was detected is kept until it was applied: a step that the facts cut off loses nothing.
        self._detected: list[Detection] = []

    def enqueue(self, event: SwitchRead) -> None:
        """Take an event in. Touches memory only; what it means is judged by a later step."""
        self._arrived.append(event)

    def unjudged(self) -> list[SwitchRead]:
        """Events that no step has judged yet, in order."""
        return [event for _, event in self._waiting] + self._arrived

    def _on_reading(self, event: SwitchRead, identities: SwitchIdentities, facts: FactSource) -> None:
        judged = self._judged_by.get(event.switch) == self._topology_number
        if event.changes or event.first or not judged or self._breaches.breaks(event.switch):
            self._unevaluated.add(event.switch)
        self._addresses.switch_read(event.switch)
        if event.left_out is not None:
            self._detected += addresses_left_out.detect(event.left_out)
        if event.first:
            self._breaches.first_read(event.switch, event.at)
            return
        self._detected += identities.detect(
            event.switch, event.bridge_address, event.changes, event.at, facts
        )
        self._bursts.add(event.switch, event.changes, event.topology_changes, event.at, event.unknown)
        self._burst_switches[event.switch] = event.at
        self._addresses.changed(event.changes)
        self._detected += [
            switch_restarted.detect(change) for change in event.changes if isinstance(change, Restarted)
        ]

    def claimed_uplinks(self) -> frozenset[PortRef]:
        """Ports that look like uplinks and stay under their rules."""
        return frozenset(self._breaches.claims.claims())

    def known_since(self) -> Mapping[str, datetime]:
        """By switch: when its rules were evaluated first."""
        return self._breaches.claims.known_since

    def rules_changed(self) -> None:
        """Rules of ports, groups or the inventory are others now: every switch is evaluated by them."""
        self._rules_changed = True

    def step(self, facts: FactSource, cleared: ClearedFindings, now: datetime) -> Step:
        """Judge what is due. Raises what `facts` raise; then nothing is lost, and the next step has it."""
        self._waiting += ((now, event) for event in self._arrived)
        self._arrived.clear()
        if self._identities is None:
            self._identities = SwitchIdentities(facts.conditions(), self.thresholds)
        topology = facts.topology(fresh=any(event.first for _, event in self._waiting))
        if topology is not self._topology:
            self._topology, self._topology_number = topology, self._topology_number + 1
        known_at = facts.topology_at()
        while self._waiting and known_at is not None and self._waiting[0][0] <= known_at:
            self._on_reading(self._waiting.popleft()[1], self._identities, facts)
        self._evaluate_rules(facts, topology, now)
        # Addresses of switches circulate too: ends of a loop look like uplinks, and who is there passes by.
        facts.note_claims(self.claimed_uplinks() - ends_of_loops(self.lifecycle.loops()))
        self._from_bursts(facts, topology, now)
        self._addresses.step(facts, topology, now)
        moves = self._addresses.drain_detections()
        self._detected += moves
        self._together.note(moves)
        self._detected += self._together.detect(now)
        looked = self._conditions.due(now)
        if looked:
            self._detected += self._from_conditions(facts, topology, now)
        known = cleared(self.lifecycle.unknown(self._detected))
        looked_at = now if looked else None
        changed = {one.key: one for one in self.lifecycle.apply(self._detected, known, looked_at)}
        if looked:
            ended = self.lifecycle.end_unrecorded(self._detected, now)
            off = {name for name, one in self._conditions.switches.items() if not one.enabled}
            ended += self.lifecycle.end_of_switches(facts.switches(), off, now)
            changed |= {one.key: one for one in ended}
        changed |= {
            one.key: one for one in self.lifecycle.expire(now, self._conditions.switches, self._shown)
        }
        self._detected = []
        return Step(list(changed.values()), self._addresses.drain_probes(), self._next_wake(now), looked_at)

    # --- port rules -----------------------------------------------------------------------

    def _evaluate_rules(self, facts: FactSource, topology: Topology, now: datetime) -> None:
        if self._rules_until is not None and now >= self._rules_until:
            self._rules_changed = True
        if self._rules_changed:
            names = set(facts.switches())
            self._rules = facts.rules()
            self._rules_until = self._rules.next_expiry(now)
            self._breaches.rules_changed(names)
            self._bursts.retain(names)
            self._loops.retain(names)
            self._paths.retain(names)
            for name in self._judged_by.keys() - names:
                del self._judged_by[name]
            if self._identities is not None:
                self._identities.retain(names)
        else:
            names = {name for name in self._unevaluated if self._rules.concerns(name)}
        if names:
            not_counted = NotCounted(facts.switch_addresses(), facts.shared_prefixes())
            delay = self.thresholds.port_rule_delay
            self._detected += self._breaches.evaluate(
                sorted(names), facts, self._rules, topology, not_counted, now, delay
            )
        self._judged_by |= dict.fromkeys(self._unevaluated | names, self._topology_number)
        self._rules_changed = False
        self._unevaluated.clear()

    # --- many addresses at once -----------------------------------------------------------

    def _from_bursts(self, facts: FactSource, topology: Topology, now: datetime) -> None:
        self._paths.observe(topology, now)
        shared = facts.shared_prefixes() if self._burst_switches else ()
        fewest = min(self.thresholds.loop_addresses, self.thresholds.flood_addresses)
        for switch, at in self._burst_switches.items():
            steps = self._bursts.steps(switch)
            if len(steps) >= fewest:  # nearly every switch has fewer, and is done with
                steps = [one for one in steps if not is_shared(one.mac, shared)]
                self._loops.note(switch, self._loop_signs(facts, topology, switch, steps), at)
                self._detected += address_flood.detect(switch, steps, topology, self.thresholds, at)
                tree_changed = self._bursts.topology_changed(switch)
                paths = self._paths.note(facts, topology, switch, steps, at, tree_changed=tree_changed)
                self._detected += [paths] if paths is not None else []
            else:
                self._loops.note(switch, None, at)
        self._burst_switches.clear()
        for seen in self._loops.due(topology, now):
            found = seen.signs
            summarised_at = self._summarised_at.get(found.switch)
            summarise = summarised_at is None or now - summarised_at >= _LOOP_SUMMARY_EVERY
            if summarise:
                self._summarised_at[found.switch] = now
            changed_tree = self._bursts.topology_changed(found.switch)
            self._detected.append(
                loop.detect(
                    found,
                    seen.macs,
                    seen.ports,
                    topology_changed=changed_tree,
                    summarise=summarise,
                    now=seen.last_at,
                    area=topology.area_of(found.switch),
                )
            )

    def _loop_signs(
        self, facts: FactSource, topology: Topology, switch: str, steps: Sequence[BurstStep]
    ) -> loop.LoopSigns | None:
        present = len(facts.table(switch).learned)
        known = self._loops.reported
        found = loop.signs(switch, steps, topology, self.thresholds, present=present, known=known)
        if found is None or self._loops.shows(switch):
            # Once there is a loop, the link that goes down is the cable that is pulled.
            return found
        # Links are asked for only now: leaving ports out takes signs away, and never adds any.
        changed = self._ports_with_changed_links(facts, switch, steps)
        return loop.signs(
            switch, steps, topology, self.thresholds, present=present, left_out=changed, known=known
        )

    def _ports_with_changed_links(
        self, facts: FactSource, switch: str, steps: Sequence[BurstStep]
    ) -> frozenset[str]:
        """Those whose link went up or down after addresses had begun to jump there: whoever is behind them
        was cut off. A cable that makes a loop comes up before."""
        first: dict[PortRef, datetime] = {}
        for step in steps:
            for port in filter(None, (step.origin, step.to)):
                first.setdefault((switch, port), step.at)
        known = facts.port_facts(sorted(first))
        return frozenset(port[1] for port, fact in known.items() if fact.changed_since(first[port]))

    # --- conditions -----------------------------------------------------------------------

    def _from_conditions(self, facts: FactSource, topology: Topology, now: datetime) -> list[Detection]:
        loops = [(one.began_at - LEAD, one.last_at) for one in self.lifecycle.loops()]
        not_read, silent = self.lifecycle.switches_not_read(), self.lifecycle.silent_ports()
        found = self._conditions.detect(facts, topology, now, loops, not_read, silent)
        found += self._breaches.lasting(facts, now)
        if (expiring := enrolment_expires.detect(self._rules, self.thresholds, now)) is not None:
            found.append(expiring)
        if self._several_ports_at is None or now - self._several_ports_at >= _SEVERAL_PORTS_EVERY:
            # What changes is classified anyway; this finds those that were at two places before a start.
            self._addresses.add(facts.at_several_ports(_MAX_ADDRESSES))
            self._several_ports_at = now
        self._conditions.round_complete(now)
        self._shown = frozenset(one.key for one in found)
        return [as_last_read(one, self._conditions.switches, now) for one in found]

    def _next_wake(self, now: datetime) -> datetime:
        if self._addresses.backlog():
            return now
        due = [self._conditions.next_wake(now), self._addresses.next_wake(), self.lifecycle.next_due()]
        if self._waiting:
            due.append(max(self._waiting[0][0] + FACTS_MAX_AGE, now) + _MOMENT)
        due.append(self._rules_until)
        return min(one for one in due if one is not None)
