"""Judges who is present on ports: the one evaluation behind findings, the roll call and rehearsals."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import MAC_BITS, MAC_MASK, mac_of, vlan_of
from kiteroll.core.policy.occupancy import NotCounted, Occupant, PortCounts, PortOccupancy
from kiteroll.core.policy.port_rules import PortRule, RollStatus
from kiteroll.core.policy.rule_book import RuleBook

Exempt = Callable[[PortRef], bool]
"""Whether a port is exempt from its rules, as uplinks are."""
PortState = tuple[PortRule, bool, list[int]]
"""What the evaluation of a port rests on: its rule, whether it is exempt, and the keys learned there."""


@dataclass(frozen=True, slots=True)
class Judge:
    """What ports are judged by: rules, who is exempt, who is not counted, and the time."""

    rules: RuleBook
    exempt: Exempt
    not_counted: NotCounted
    now: datetime

    def switch(
        self,
        switch: str,
        table: MacTable,
        since: datetime | None = None,
        in_order: dict[str, PortState] | None = None,
    ) -> Iterator[PortOccupancy]:
        """Ports of a switch at which something breaks a rule, or somebody is who is barred. `since`: who was
        learned later is a newcomer; None: nobody is. `in_order`: ports that broke nothing when they were
        judged last, which are passed over while nothing has changed there; those of this time are put in."""
        if not self.rules.concerns(switch):
            return
        newcomers = frozenset(key for key, at in table.recent.items() if since is not None and at > since)
        barred = len(self.rules.barred) > 0
        before = dict(in_order) if in_order is not None else {}
        if in_order is not None:
            in_order.clear()
        for number, keys in sorted(_by_port(table.learned).items()):
            name = table.names.get(number)
            if name is None:
                continue
            rule = self.rules.rule((switch, name))
            if not barred and not rule.sets_something:
                continue
            lifted = self._lifted((switch, name), rule)
            known = before.get(name)
            same = known is not None and known[0] is rule and known[1:] == (lifted, keys)
            if not same and self._counts(rule, lifted, keys).breaks_something:
                yield self._occupancy((switch, name), rule, lifted, keys, newcomers)
                continue
            if in_order is not None:
                in_order[name] = (rule, lifted, keys)

    def occupancy(
        self, port: PortRef, keys: Sequence[int], newcomers: frozenset[int] = frozenset()
    ) -> PortOccupancy:
        """Of a port on which these keys are learned."""
        rule = self.rules.rule(port)
        return self._occupancy(port, rule, self._lifted(port, rule), keys, newcomers)

    def counts(self, port: PortRef, keys: Iterable[int]) -> PortCounts:
        """How many are there on a port, without naming them: a network has a hundred thousand."""
        rule = self.rules.rule(port)
        return self._counts(rule, self._lifted(port, rule), keys)

    def _counts(self, rule: PortRule, lifted: bool, keys: Iterable[int]) -> PortCounts:
        by_status: dict[RollStatus, set[int]] = {}
        other_vlan = False
        not_counted, status_of, now = self.not_counted, self.rules.status, self.now
        any_vlan = lifted or rule.vlans is None
        plain = () if self.rules.barred.entries else rule.roll.plain
        for key in keys:
            mac = key & MAC_MASK
            if mac in not_counted:
                continue
            vlan = key >> MAC_BITS or None
            for shift, numbers in plain:
                if mac >> shift in numbers:
                    status = (
                        RollStatus.ENROLLED
                    )  # as nearly all are: what `status_of` would say, without asking
                    break
            else:
                status = status_of(rule, mac, vlan, now, lifted=lifted)
            if status in by_status:
                by_status[status].add(mac)
            else:
                by_status[status] = {mac}
            if not any_vlan and rule.unexpected_vlan(vlan):
                other_vlan = True
        several = by_status.values()
        present = len(set().union(*several)) if len(by_status) > 1 else sum(map(len, several))
        return PortCounts(rule, lifted, by_status, present, other_vlan)

    def _lifted(self, port: PortRef, rule: PortRule) -> bool:
        return not rule.uplinks and self.exempt(port)

    def _occupancy(
        self, port: PortRef, rule: PortRule, lifted: bool, keys: Sequence[int], newcomers: frozenset[int]
    ) -> PortOccupancy:
        occupants = []
        for key in sorted(keys):
            mac, vlan = mac_of(key), vlan_of(key)
            if mac not in self.not_counted:
                status = self.rules.status(rule, mac, vlan, self.now, lifted=lifted)
                occupants.append(Occupant(mac, vlan, status, not lifted and rule.unexpected_vlan(vlan)))
        here = {one.mac for one in occupants}
        lately = frozenset(mac for key in keys if key in newcomers and (mac := mac_of(key)) in here)
        return PortOccupancy(port, rule, lifted, tuple(occupants), lately)


def _by_port(learned: Mapping[int, int]) -> dict[int, list[int]]:
    found: dict[int, list[int]] = defaultdict(list)
    for key, number in learned.items():
        found[number].append(key)
    return found
