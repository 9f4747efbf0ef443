"""What breaks the rules of ports, since when; told once it lasts."""

from collections.abc import Collection, Iterable
from dataclasses import replace
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


def port_rule_breaches(
    switch: str,
    table: MacTable,
    rules: RuleBook,
    exempt: Exempt,
    switches: Collection[MacAddress],
    now: datetime,
) -> Iterable[Detection]:
    """What breaks the rules of one switch's ports, by its present addresses. `switches`: bridge
    addresses of known switches, which are no endpoints."""
    for occupancy in evaluate_switch(switch, table, rules, exempt, switches):
        overfull = overfull_port.detect(occupancy, now)
        if overfull is not None:
            yield overfull
        yield from stranger.detect(occupancy, now)


class PortRuleWatch:
    def __init__(self) -> None:
        self.claims = UplinkClaims()
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

        def exempt(port: PortRef) -> bool:
            return self.claims.lifts_rules(port, topology.role(port), now)

        for name in names:
            before = self._broken.get(name, {})
            breaches = port_rule_breaches(name, facts.table(name), rules, exempt, switches, now)
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
        self.claims.retain(switches)

    def lasting(self, now: datetime, delay: timedelta) -> list[Detection]:
        """What has broken the rules for that long, each as of `now`: so it is until another reading
        says otherwise."""
        claimed = [uplink_claimed.detect(port, role, now) for port, role in self.claims.claims().items()]
        return claimed + [
            replace(one, last_at=now)
            for broken in self._broken.values()
            for one in broken.values()
            if now - one.first_at >= delay
        ]
