"""What breaks the rules of ports, since when; told once it lasts."""

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import overfull_port, stranger, uplink_claimed
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.evaluation import Exempt, evaluate_switch
from kiteroll.core.policy.port_rules import RuleBook
from kiteroll.core.policy.uplink_claims import UplinkClaims
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import judged_ageing

_STEADY = timedelta(minutes=1)
"""A neighbour announces itself within half of it (IEEE 802.1AB 9.2.5.7)."""


_NEW_FOR = timedelta(minutes=10)
_AT_FIRST = 6
"""Times the delay, on a new switch: where its ports lead may show only when those next to it were read."""


@dataclass(frozen=True, slots=True)
class _Breach:
    detection: Detection
    lasting: timedelta
    """For how long it must be so before it is told."""


def port_rule_breaches(
    switch: str,
    table: MacTable,
    rules: RuleBook,
    exempt: Exempt,
    switches: Collection[MacAddress],
    now: datetime,
    delay: timedelta,
    ageing: timedelta,
) -> Iterator[_Breach]:
    """What breaks the rules of one switch's ports, by its present addresses. `switches`: bridge
    addresses of known switches, which are no endpoints. `ageing`: for how long the switch may hold somebody
    who left."""
    for occupancy in evaluate_switch(switch, table, rules, exempt, switches, now - ageing):
        overfull = overfull_port.detect(occupancy, now)
        if overfull is not None:
            yield _Breach(overfull, delay if occupancy.surely_overfull else max(delay, ageing))
        for one in stranger.detect(occupancy, now):
            yield _Breach(one, delay)


def _at_steady_ports(breaches: Sequence[_Breach], facts: FactSource, since: datetime) -> list[_Breach]:
    """Those at ports whose link has not changed since then. Where such a port leads is known, and who is
    there in one reading and not in the next, as while frames circulate, is there all the same."""
    ports = {port for one in breaches for port in one.detection.ports}
    known = facts.port_facts(sorted(ports)) if ports else {}
    steady = {port for port, fact in known.items() if not fact.changed_since(since)}
    return [one for one in breaches if one.detection.ports <= steady]


class PortRuleWatch:
    def __init__(self) -> None:
        self.claims = UplinkClaims()
        self._broken: dict[str, dict[str, _Breach]] = {}
        """By switch, as of its latest reading: what breaks the rules, by key."""
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
        switches: Collection[MacAddress],
        now: datetime,
        delay: timedelta,
    ) -> None:
        """Evaluate these switches: their tables, or the rules, are new. `delay`: for how long a rule must be
        broken at least before it is told."""

        asked: set[PortRef] = set()

        def exempt(port: PortRef) -> bool:
            asked.add(port)
            return self.claims.lifts_rules(port, topology.role(port), topology.uplink_since(port), now)

        for name in names:
            before = self._broken.get(name, {})
            self.claims.evaluated(name, now)
            table = facts.table(name)
            ageing = judged_ageing(table.ageing)
            settled = name not in self._first_read or now - self._first_read[name] >= _NEW_FOR
            found: dict[str, _Breach] = {}
            for one in port_rule_breaches(name, table, rules, exempt, switches, now, delay, ageing):
                detection, lasting = one.detection, one.lasting
                if (known := before.get(detection.key)) is not None:
                    detection = replace(detection, first_at=known.detection.first_at)
                    lasting = min(lasting, known.lasting) if settled else known.lasting
                found[detection.key] = _Breach(detection, lasting)
            self.claims.keep_only(name, asked)
            new = [one for key, one in found.items() if key not in before]
            if settled:
                for one in _at_steady_ports(new, facts, now - _STEADY):
                    found[one.detection.key] = _Breach(one.detection, one.lasting - delay)
            else:
                for one in new:
                    found[one.detection.key] = _Breach(one.detection, max(one.lasting, _AT_FIRST * delay))
            if found:
                self._broken[name] = found
            else:
                self._broken.pop(name, None)

    def retain(self, switches: Collection[str]) -> None:
        """Switches that left the inventory break nothing."""
        for kept in (self._broken, self._first_read):
            for name in kept.keys() - set(switches):
                del kept[name]
        self.claims.retain(switches)

    def lasting(self, now: datetime) -> list[Detection]:
        """What has broken the rules for long enough, each as of `now`: so it is until another reading
        says otherwise."""
        claimed = [uplink_claimed.detect(port, role, now) for port, role in self.claims.claims().items()]
        return claimed + [
            replace(one.detection, last_at=now)
            for broken in self._broken.values()
            for one in broken.values()
            if now - one.detection.first_at >= one.lasting
        ]
