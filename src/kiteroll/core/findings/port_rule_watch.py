"""What breaks the rules of ports, since when; told once it lasts."""

from collections.abc import Collection, Iterable
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import overfull_port, stranger
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.policy.evaluation import evaluate_switch
from kiteroll.core.policy.port_rules import RuleBook
from kiteroll.core.topology.roles import Topology


def port_rule_breaches(
    switch: str,
    table: MacTable,
    rules: RuleBook,
    topology: Topology,
    switches: Collection[MacAddress],
    now: datetime,
) -> Iterable[Detection]:
    """What breaks the rules of one switch's ports, by its present addresses. `switches`: bridge
    addresses of known switches, which are no endpoints."""
    for occupancy in evaluate_switch(switch, table, rules, topology, switches):
        overfull = overfull_port.detect(occupancy, now)
        if overfull is not None:
            yield overfull
        yield from stranger.detect(occupancy, now)


class PortRuleWatch:
    def __init__(self) -> None:
        self._broken: dict[str, dict[str, Detection]] = {}
        """By switch, as of its latest reading: what breaks the rules, by key."""

    def evaluate(
        self,
        names: Iterable[str],
        facts: FactSource,
        rules: RuleBook,
        topology: Topology,
        switches: Collection[MacAddress],
        now: datetime,
    ) -> None:
        """Evaluate these switches: their tables, or the rules, are new."""
        for name in names:
            before = self._broken.get(name, {})
            breaches = port_rule_breaches(name, facts.table(name), rules, topology, switches, now)
            found = {
                one.key: replace(one, first_at=before[one.key].first_at) if one.key in before else one
                for one in breaches
            }
            if found:
                self._broken[name] = found
            else:
                self._broken.pop(name, None)

    def retain(self, switches: Collection[str]) -> None:
        """Switches that left the inventory break nothing."""
        for name in self._broken.keys() - set(switches):
            del self._broken[name]

    def lasting(self, now: datetime, delay: timedelta) -> list[Detection]:
        """What has broken the rules for that long, each as of `now`: so it is until another reading
        says otherwise."""
        return [
            replace(one, last_at=now)
            for broken in self._broken.values()
            for one in broken.values()
            if now - one.first_at >= delay
        ]
