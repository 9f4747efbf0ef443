"""What breaks the rules of ports, since when; reported once it lasts."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection, FindingKind
from kiteroll.core.findings.kinds import (
    barred_address,
    out_of_place,
    overfull_port,
    stranger,
    unexpected_vlan,
    uplink_claimed,
)
from kiteroll.core.findings.rule_severity import severity_of
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.evaluation import Judge, PortState
from kiteroll.core.policy.occupancy import NotCounted, PortOccupancy
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.uplink_claims import UplinkClaims
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting, judged_ageing

_STEADY = timedelta(minutes=1)
"""A neighbour announces itself within half of it (IEEE 802.1AB 9.2.5.7)."""


_NEW_FOR = timedelta(minutes=10)
_AT_FIRST = 6
"""Times the delay, on a new switch: where its ports lead may show only when those next to it were read."""
_AT_ONCE = timedelta(0)
_SWEPT_WITHIN = timedelta(seconds=30)
"""Tables are looked through now and then: an entry may be there for so long after its ageing time."""
_LOOK_BACK = timedelta(minutes=30)
"""How far the last reading of a switch that passes somebody on may lie in the past."""


@dataclass(frozen=True, slots=True)
class Breach:
    detection: Detection
    lasting: timedelta
    """For how long it must be so before it is reported."""
    passing: bool = False
    """At a port that carries addresses from elsewhere."""
    lingers: timedelta = timedelta(0)
    """For how long one may still be in the table there who is gone."""


def port_rule_breaches(
    switch: str,
    table: MacTable,
    judge: Judge,
    delay: timedelta,
    ageing: timedelta,
    in_order: dict[str, PortState] | None = None,
) -> Iterator[Breach]:
    """What breaks the rules of one switch's ports, by its present addresses. `ageing`: for how long the
    switch may hold somebody who left. `in_order`: as for `Judge.switch`."""
    for occupancy in judge.switch(switch, table, judge.now - ageing, in_order):
        yield from breaches_at(occupancy, judge, delay, ageing)


def breaches_at(
    occupancy: PortOccupancy, judge: Judge, delay: timedelta, ageing: timedelta
) -> Iterator[Breach]:
    """The same of one port."""
    now = judge.now
    for one in barred_address.detect(occupancy, judge.rules.barred, now):
        yield Breach(one, _AT_ONCE, passing=occupancy.exempt, lingers=ageing)
    severity = severity_of(occupancy.rule)
    if severity is None:
        return
    overfull = overfull_port.detect(occupancy, severity, now)
    if overfull is not None:
        yield Breach(overfull, delay if occupancy.surely_overfull else max(delay, ageing))
    for one in stranger.detect(occupancy, severity, now):
        yield Breach(one, delay)
    away = {one.mac for one in occupancy.of_status(RollStatus.OUT_OF_PLACE)}
    places = {mac: judge.rules.places_of(mac, now) for mac in away}
    for one in out_of_place.detect(occupancy, places, severity, now):
        yield Breach(one, delay)
    other_vlan = unexpected_vlan.detect(occupancy, severity, now)
    if other_vlan is not None:
        yield Breach(other_vlan, delay)


def _at_steady_ports(breaches: Sequence[Breach], facts: FactSource, since: datetime) -> list[Breach]:
    """Those at ports whose link has not changed since then. Where such a port leads is known, and who is
    there in one reading and not in the next, as while frames circulate, is there all the same."""
    ports = {port for one in breaches for port in one.detection.ports}
    known = facts.port_facts(sorted(ports)) if ports else {}
    steady = {port for port, fact in known.items() if fact.steady_from(since)}
    return [one for one in breaches if one.detection.ports <= steady]


def _merged(breaches: Sequence[Breach]) -> Detection:
    """One finding of an address that breaks a rule at several ports; where it only passes counts only
    when it is nowhere else."""
    at_home = [one for one in breaches if not one.passing] or breaches
    first, *rest = (one.detection for one in at_home)
    if not rest:
        return first
    every = (first, *rest)
    ports = sorted({port for one in every for port in one.ports})
    return replace(
        first,
        details=replace(first.details, ports=tuple(ports)),
        evidence=tuple(dict.fromkeys(one for each in every for one in each.evidence)),
        first_at=min(one.first_at for one in every),
        last_at=max(one.last_at for one in every),
        ports=frozenset(ports),
    )


def _only_lingering(by_key: Mapping[str, Sequence[Breach]], facts: FactSource, now: datetime) -> set[str]:
    """Keys of those who are gone from the port they were at, while the tables on the way have not forgotten
    them yet."""
    passing = {
        key: max(one.lingers for one in several)
        for key, several in by_key.items()
        if all(one.passing and one.lingers for one in several)
    }
    if not passing:
        return set()
    macs = {key: by_key[key][0].detection.subject.mac for key in passing}
    sightings = facts.sightings(
        [mac for mac in macs.values() if mac is not None], now - max(passing.values()) - _LOOK_BACK
    )
    return {
        key
        for key, lingers in passing.items()
        if (mac := macs[key]) is not None and _lingers(sightings.get(mac, ()), lingers, now)
    }


def _lingers(sightings: Sequence[Sighting], lingers: timedelta, now: datetime) -> bool:
    """Whether he left his port so late that whoever passes him on need not have heard him since."""
    passed_on = [one.read_at for one in sightings if one.uplink and one.present and one.read_at is not None]
    heard_before = max(passed_on, default=now) - lingers - _SWEPT_WITHIN
    return any(
        _left(one, now) >= heard_before for one in sightings if not one.uplink and not one.outdated(now)
    )


def _left(one: Sighting, now: datetime) -> datetime:
    """When it was no longer there: at the latest when a reading first missed it."""
    return one.stay.quiet_at or one.stay.ended_at or now


class PortRuleWatch:
    def __init__(
        self, claimed: Collection[PortRef] = (), known_since: Mapping[str, datetime] | None = None
    ) -> None:
        """`claimed`: ports that looked like uplinks and stayed under their rules in an earlier run.
        `known_since`: by switch, when its rules were evaluated first."""
        self.claims = UplinkClaims(claimed, known_since)
        self._broken: dict[str, dict[str, Breach]] = {}
        """By switch, as of its latest reading: what breaks the rules, by key."""
        self._in_order: dict[str, dict[str, PortState]] = {}
        """By switch and port: what was there when it broke nothing. A reading changes few ports."""
        self._not_counted = NotCounted()
        """Addresses that were not counted then."""
        self._first_read: dict[str, datetime] = {}
        """Of switches that had never been read before."""

    def first_read(self, switch: str, at: datetime) -> None:
        self._first_read[switch] = at

    def evaluate(
        self,
        names: Iterable[str],
        facts: FactSource,
        rules: RuleBook,
        topology: Topology,
        not_counted: NotCounted,
        now: datetime,
        delay: timedelta,
    ) -> list[Detection]:
        """Evaluate these switches: their tables, or the rules, are new. `delay`: for how long a rule must be
        broken at least before it is reported. Gives what is reported at once. Raises what `facts` raise."""
        asked: set[PortRef] = set()

        def exempt(port: PortRef) -> bool:
            asked.add(port)
            return self.claims.lifts_rules(port, topology.role(port), topology.uplink_since(port), now)

        judge = Judge(rules, exempt, not_counted, now)
        if self._not_counted != not_counted:
            self._in_order.clear()
            self._not_counted = not_counted
        at_once: set[str] = set()
        for name in names:
            before = self._broken.get(name, {})
            self.claims.evaluated(name, now)
            table = facts.table(name)
            ageing = judged_ageing(table.ageing)
            settled = name not in self._first_read or now - self._first_read[name] >= _NEW_FOR
            found: dict[str, Breach] = {}
            by_key: dict[str, list[Breach]] = {}
            in_order = self._in_order.setdefault(name, {})
            for one in port_rule_breaches(name, table, judge, delay, ageing, in_order):
                by_key.setdefault(one.detection.key, []).append(one)
            for key, several in by_key.items():
                detection = _merged(several)
                if detection.kind is FindingKind.OVERFULL:
                    (port,) = detection.ports
                    if bridge := topology.role(port).beyond:
                        detection = overfull_port.with_bridge(detection, bridge)
                lasting = min(one.lasting for one in several)
                if (known := before.get(key)) is not None:
                    detection = replace(detection, first_at=known.detection.first_at)
                    lasting = min(lasting, known.lasting) if settled else known.lasting
                passing = all(one.passing for one in several)
                found[key] = Breach(detection, lasting, passing, several[0].lingers)
            self.claims.retain_ports(name, asked)
            new = [one for key, one in found.items() if key not in before]
            at_once |= {one.detection.key for one in new if one.lasting == _AT_ONCE}
            later = [one for one in new if one.lasting > _AT_ONCE]
            if settled:
                for one in _at_steady_ports(later, facts, now - _STEADY):
                    found[one.detection.key] = replace(one, lasting=one.lasting - delay)
            else:
                for one in later:
                    found[one.detection.key] = replace(one, lasting=max(one.lasting, _AT_FIRST * delay))
            if found:
                self._broken[name] = found
            else:
                self._broken.pop(name, None)
        return [one for one in self._lasting_breaches(facts, now) if one.key in at_once] if at_once else []

    def breaks(self, switch: str) -> bool:
        """Whether any rule is broken there now: what time makes of it is to be seen."""
        return switch in self._broken

    def rules_changed(self, switches: Iterable[str]) -> None:
        """Every port is to be evaluated anew, or an entry has expired; switches that left the inventory, of
        which none is here, break nothing."""
        self._in_order.clear()
        names = set(switches)
        for kept in (self._broken, self._first_read):
            for name in kept.keys() - names:
                del kept[name]
        self.claims.retain(names)

    def lasting(self, facts: FactSource, now: datetime) -> list[Detection]:
        """What has broken the rules for long enough, each as of `now`: so it is until another reading
        says otherwise. Raises what `facts` raise."""
        claimed = [uplink_claimed.detect(port, role, now) for port, role in self.claims.claims().items()]
        return claimed + self._lasting_breaches(facts, now)

    def _lasting_breaches(self, facts: FactSource, now: datetime) -> list[Detection]:
        by_key: dict[str, list[Breach]] = {}
        for broken in self._broken.values():
            for key, one in broken.items():
                if now - one.detection.first_at >= one.lasting:
                    by_key.setdefault(key, []).append(one)
        left = _only_lingering(by_key, facts, now)
        return [replace(_merged(several), last_at=now) for key, several in by_key.items() if key not in left]
