"""Which addresses are judged when: those that changed and those left open, a bounded number a step."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from kiteroll.core.findings.address_view import PortFacts, PortFactsOf, view_of
from kiteroll.core.findings.address_watch import AddressWatch
from kiteroll.core.findings.classify import NotYet, classify_address
from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import moved
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Appeared, Change, Gone, Moved, Quiet, Returned
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting, by_area

_MOST_ADDRESSES = 5_000
"""Addresses that are looked at together."""
_MAX_SIGHTINGS = 20_000
"""Places of addresses that are looked at in one step; more wait for the next."""
_SIGHTINGS_AT_ONCE = 4_000
"""About so many are held in memory together."""
_FIRST_ADDRESSES = 100
"""Looked at before it is known how many places they have."""


@dataclass(frozen=True, slots=True)
class Probe:
    """An address that just did something: ask these switches for it alone, for a short while. They are those
    that have it, or the one that must have it by now."""

    mac: MacAddress
    places: tuple[tuple[str, int | None], ...]
    """(switch, VLAN)."""
    jumped_at: datetime


class AddressEvaluation:
    """Keeps what it detected until that is taken: a step that the facts cut off loses nothing."""

    def __init__(self, thresholds: Thresholds) -> None:
        self._thresholds = thresholds
        self._watch = AddressWatch()
        self._came: set[MacAddress] = set()
        """Of those to be judged: at another port than before, or not in the table of the switch before."""
        self._detected: list[Detection] = []
        self._probes: list[Probe] = []

    def add(self, macs: Iterable[MacAddress]) -> None:
        self._watch.add(macs)

    def changed(self, changes: Iterable[Change]) -> None:
        for change in changes:
            if isinstance(change, Appeared | Moved | Gone | Quiet | Returned):
                self._watch.add((change.mac,))
                if isinstance(change, Appeared | Moved):
                    self._came.add(change.mac)

    def switch_read(self, switch: str) -> None:
        self._watch.switch_read(switch)

    def backlog(self) -> bool:
        return self._watch.backlog()

    def next_wake(self) -> datetime | None:
        return self._watch.next_wake()

    def drain_detections(self) -> list[Detection]:
        taken, self._detected = self._detected, []
        return taken

    def drain_probes(self) -> list[Probe]:
        taken, self._probes = self._probes, []
        return taken

    def step(self, facts: FactSource, topology: Topology, now: datetime) -> None:
        """Some at a time, by how many places they have: nobody else is to wait for a step without end."""
        shared = None
        at_once, sightings = _FIRST_ADDRESSES, 0
        self._watch.wake(now)
        while sightings < _MAX_SIGHTINGS and (macs := self._watch.due(at_once)):
            if shared is None:
                shared = facts.shared_prefixes()
            found = self._classify(macs, shared, facts, topology, now)
            sightings += found
            at_once = max(1, min(_MOST_ADDRESSES, _SIGHTINGS_AT_ONCE * len(macs) // max(1, found)))

    def _classify(
        self,
        macs: Sequence[MacAddress],
        shared: Collection[str],
        facts: FactSource,
        topology: Topology,
        now: datetime,
    ) -> int:
        """Returns how many sightings they had."""
        sightings = facts.sightings(macs, now - self._thresholds.flap_window)
        ports = {
            one.port
            for several in sightings.values()
            if len(several) > 1
            for one in several
            if not one.uplink
        }
        port_facts = facts.port_facts(sorted(ports))
        returned: list[MacAddress] = []
        for mac in macs:
            if is_shared(mac, shared):
                self._watch.settle(mac)
                continue
            facts_of = _without(port_facts, mac)
            judged = [
                (seen, self._judge(mac, seen, facts_of, topology, now))
                for seen in by_area(sightings.get(mac, ()))
            ]
            if mac in self._came and any(not outcome and _at_one_place(seen) for seen, outcome in judged):
                returned.append(mac)
            self._watch_on(mac, judged, now)
        self._from_memory(returned, facts, topology, now)
        self._came.difference_update(macs)
        return len(macs) + sum(map(len, sightings.values()))

    def _judge(
        self,
        mac: MacAddress,
        seen: Sequence[Sighting],
        facts_of: PortFactsOf,
        topology: Topology,
        now: datetime,
    ) -> Detection | NotYet | None:
        """An address in one area."""
        outcome = classify_address(view_of(mac, seen, facts_of, topology.joined, self._thresholds, now))
        if isinstance(outcome, Detection):
            self._detected.append(outcome)
            self._probes.append(Probe(mac, _places(seen), outcome.last_at))
        elif isinstance(outcome, NotYet):
            self._probes.append(Probe(mac, _places(seen), outcome.jumped_at))
        elif mac in self._came and (on := _passing(seen)) is not None:
            self._probes.append(Probe(mac, ((on.leads_to[0], on.stay.place.vlan),), on.stay.began_at))
        return outcome

    def _from_memory(
        self, macs: Sequence[MacAddress], facts: FactSource, topology: Topology, now: datetime
    ) -> None:
        """Addresses that just came up at one place: where were they the last time? Asked for these alone, for
        most addresses are where they were."""
        if not macs:
            return
        remembered = facts.sightings(macs, now - self._thresholds.moved_memory)
        for mac, everywhere in remembered.items():
            for seen in by_area(everywhere):
                view = view_of(mac, seen, lambda _: PortFacts(), topology.joined, self._thresholds, now)
                if (detection := moved.detect(view)) is not None:
                    self._detected.append(detection)

    def _watch_on(
        self,
        mac: MacAddress,
        judged: Sequence[tuple[Sequence[Sighting], Detection | NotYet | None]],
        now: datetime,
    ) -> None:
        """`judged`: what was seen in each area, and what that says."""
        switches: set[str] = set()
        for seen, outcome in judged:
            access = [one for one in seen if not one.uplink]
            present = [one for one in access if one.present]
            if isinstance(outcome, NotYet):
                switches |= {one.stay.place.switch for one in access}
            elif len(present) > 1 and not all(one.same_device(access[0]) for one in access):
                switches |= {one.stay.place.switch for one in present}
        if switches:
            wake_at = min((one.until for _, one in judged if isinstance(one, NotYet)), default=None)
            self._watch.recheck(mac, switches, now, wake_at)
        else:
            self._watch.settle(mac)


def _without(facts: Mapping[PortRef, PortFacts], mac: MacAddress) -> PortFactsOf:
    """Facts of ports with the other addresses there: the one that is judged does not count."""

    def of(port: PortRef) -> PortFacts:
        known = facts.get(port, PortFacts())
        return replace(known, others=known.others - {mac})

    return of


def _at_one_place(seen: Sequence[Sighting]) -> bool:
    """Whether it is present at one access port, and was at no other lately."""
    access = [one for one in seen if not one.uplink]
    return len({one.port for one in access}) == 1 and any(one.present for one in access)


def _passing(seen: Sequence[Sighting]) -> Sighting | None:
    """Where it was learned last, if all who have it see it behind another switch: that one has not been read
    since it came there."""
    present = [one for one in seen if one.present]
    if not present or not all(one.uplink and one.leads_to for one in present):
        return None
    return max(present, key=lambda one: one.stay.began_at)


def _places(seen: Sequence[Sighting]) -> tuple[tuple[str, int | None], ...]:
    return tuple(
        dict.fromkeys((one.stay.place.switch, one.stay.place.vlan) for one in seen if not one.uplink)
    )
