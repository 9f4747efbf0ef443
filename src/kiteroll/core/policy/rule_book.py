"""The rule book: what of all that is set holds at a port, and from which level it comes."""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.levels import EVERYTHING, Level, PortRange, Reach, parse_ports
from kiteroll.core.policy.port_rules import STAYS_CLOSED, VALUES, PortRule, RollStatus, Rule
from kiteroll.core.policy.roll import BarredList, Enrolled, Roll


def inherit(levels: Iterable[tuple[Level, Rule]]) -> PortRule:
    """`levels`: wide ones first. The nearest that sets a value counts; rolls add up."""
    given = list(levels)
    values: dict[str, Any] = {}
    sources: dict[str, Level] = {}
    for level, rule in given:
        for name in VALUES:
            value = getattr(rule, name)
            if value is not None:
                values[name], sources[name] = value, level
    return PortRule(
        **values,
        roll=Roll(entry for _, rule in given for entry in rule.roll),
        own_roll=tuple(entry for level, rule in given if level.reach is Reach.PORT for entry in rule.roll),
        sources=sources,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleBook:
    """Every rule that is set, the groups each switch is in, and who is barred. Does not change."""

    rules: Mapping[Level, Rule] = field(default_factory=dict)
    in_groups: Mapping[str, Sequence[str]] = field(default_factory=dict)
    barred: BarredList = field(default_factory=BarredList)
    _ranges: dict[str, list[tuple[Level, tuple[PortRange, ...]]]] = field(
        default_factory=dict, init=False, compare=False, repr=False
    )
    _with_ports: set[str] = field(default_factory=set, init=False, compare=False, repr=False)
    _homes: dict[int, list[Enrolled]] = field(default_factory=dict, init=False, compare=False, repr=False)
    _resolved: dict[tuple[Any, ...], PortRule] = field(
        default_factory=dict, init=False, compare=False, repr=False
    )
    _by_port: dict[PortRef, PortRule] = field(default_factory=dict, init=False, compare=False, repr=False)
    _ends: list[datetime] = field(default_factory=list, init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        ends = [one.expires_at for one in self.entries()] + [one.expires_at for one in self.barred.entries]
        self._ends.extend(sorted({end for end in ends if end is not None}))
        for level in sorted(self.rules, key=lambda one: one.order):
            if level.reach is Reach.RANGE:
                self._ranges.setdefault(level.switch, []).append((level, parse_ports(level.ports)))
            if level.port or level.ports:
                self._with_ports.add(level.switch)
            for entry in self.rules[level].roll:
                if entry.is_address:
                    self._homes.setdefault(int(entry.prefix, 16), []).append(entry)

    def rule(self, port: PortRef) -> PortRule:
        """What applies to a port. Ports of a switch that no level tells apart share one."""
        if (known := self._by_port.get(port)) is None:
            known = self._by_port[port] = self._rule(port)
        return known

    def _rule(self, port: PortRef) -> PortRule:
        switch, name = port
        ranges = tuple(
            level for level, parts in self._ranges.get(switch, ()) if any(one.holds(name) for one in parts)
        )
        own = Level(switch=switch, port=name)
        key = (switch, ranges, name if own in self.rules else "")
        if (known := self._resolved.get(key)) is not None:
            return known
        found = self._resolved[key] = inherit(self._levels(switch, ranges, own))
        return found

    def levels(self, port: PortRef) -> list[Level]:
        """The levels that hold a port and have a rule, wide ones first."""
        groups = self.in_groups.get(port[0], ())
        return [one for one in sorted(self.rules, key=lambda one: one.order) if one.holds(port, groups)]

    def concerns(self, switch: str) -> bool:
        """Whether any rule can be broken at a port of this switch, or somebody is barred."""
        return (
            bool(len(self.barred))
            or switch in self._with_ports
            or Level(switch=switch) in self.rules
            or EVERYTHING in self.rules
            or any(Level(group=name) in self.rules for name in self.in_groups.get(switch, ()))
        )

    def status(
        self, rule: PortRule, mac: int, vlan: int | None, now: datetime, *, lifted: bool = False
    ) -> RollStatus:
        """Of an address that is present on a port with this rule. `lifted`: the port is exempt."""
        if self.barred.entries and self.barred.entry(mac, now) is not None:
            return RollStatus.BARRED
        if rule.roll.entry(mac, vlan, now) is not None:
            return RollStatus.ENROLLED
        if lifted or not rule.watched:
            return RollStatus.NOT_ENROLLED
        return RollStatus.OUT_OF_PLACE if self.places_of(mac, now) else RollStatus.STRANGER

    def places_of(self, mac: int, now: datetime) -> list[Enrolled]:
        """Entries of any roll that enrol this one address."""
        return [entry for entry in self._homes.get(mac, ()) if not entry.expired(now)]

    def covering(self, mac: MacAddress, now: datetime) -> list[Enrolled]:
        """Entries of any roll that authorise an address somewhere, wide levels first."""
        return [one for one in self.entries() if one.covers(mac, one.vlan) and not one.expired(now)]

    def entries(self) -> Iterator[Enrolled]:
        """Every entry of every roll, wide levels first."""
        for level in sorted(self.rules, key=lambda one: one.order):
            yield from self.rules[level].roll

    def next_expiry(self, now: datetime) -> datetime | None:
        """When the next entry of a roll, or of those barred, expires."""
        at = bisect_right(self._ends, now)
        return self._ends[at] if at < len(self._ends) else None

    def _levels(self, switch: str, ranges: Sequence[Level], own: Level) -> Iterator[tuple[Level, Rule]]:
        if EVERYTHING in self.rules:
            yield EVERYTHING, self.rules[EVERYTHING]
        groups = [Level(group=name) for name in sorted(self.in_groups.get(switch, ()))]
        yield from _strictest([(level, self.rules[level]) for level in groups if level in self.rules])
        if (level := Level(switch=switch)) in self.rules:
            yield level, self.rules[level]
        yield from _strictest([(level, self.rules[level]) for level in ranges])
        if own in self.rules:
            yield own, self.rules[own]


def _strictest(rules: Sequence[tuple[Level, Rule]]) -> list[tuple[Level, Rule]]:
    """The same rules, each left with the values in which it is the strictest of them: nothing overrides by
    its place in the list."""
    left: dict[int, dict[str, Any]] = {at: {} for at in range(len(rules))}
    for name in VALUES:
        values = [
            (at, value) for at, (_, rule) in enumerate(rules) if (value := getattr(rule, name)) is not None
        ]
        if not values:
            continue
        if name == "vlans":
            left[values[0][0]][name] = frozenset.intersection(*(value for _, value in values))
        else:
            at, value = max(values, key=lambda one: _strictness(name, one[1]))
            left[at][name] = value
    return [(level, Rule(**left[at], roll=rule.roll)) for at, (level, rule) in enumerate(rules)]


def _strictness(name: str, value: Any) -> float:
    match name:
        case "seats":
            return -value if isinstance(value, int) else float("-inf")
        case "on_breach":
            return float(value.strictness)
        case "reopen_after":
            return float("inf") if value == STAYS_CLOSED else float(value.total_seconds())
        case "watched":
            return float(value)
        case _:
            return float(value)
