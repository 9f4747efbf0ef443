"""Changes of rules as values: what they make of a set of rules, how two sets differ, what contradicts."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from kiteroll.core.policy.levels import EVERYTHING, Level, PortRange, Reach, parse_ports
from kiteroll.core.policy.port_rules import VALUES, OnBreach, Rule
from kiteroll.core.policy.roll import Barred, Enrolled

MANY_SEATS = 50
"""More than any desk, and fewer than most switches carry."""


@dataclass(frozen=True, slots=True)
class LevelChange:
    """What is to be set at one level; a value of None inherits."""

    level: Level
    values: Mapping[str, Any]
    """By name, of `VALUES` and `note`."""


@dataclass(frozen=True, slots=True)
class RuleSet:
    """All that operators set: what a rules file holds, and what is saved as a whole or not at all."""

    rules: Mapping[Level, Rule] = field(default_factory=dict)
    barred: tuple[Barred, ...] = ()


@dataclass(frozen=True, slots=True)
class Difference:
    """One value of one level that is another in the second of two sets."""

    level: Level
    what: str
    """Of `VALUES`, `note`, `enrolled`, `struck off`, `barred` or `bar lifted`."""
    before: Any
    after: Any


def changed(rules: RuleSet, changes: Iterable[LevelChange]) -> RuleSet:
    """The rules after these changes; a level that sets nothing any more is dropped."""
    found = dict(rules.rules)
    for change in changes:
        _put(found, change.level, replace(found.get(change.level, Rule()), **change.values))
    return replace(rules, rules=found)


def with_entries(rules: RuleSet, entries: Iterable[Enrolled]) -> RuleSet:
    """These are enrolled too, each at its level; one that is there gets the new note, owner and end."""
    found = dict(rules.rules)
    by_level: dict[Level, dict[tuple[str, int], Enrolled]] = {}
    for entry in entries:
        if entry.level not in by_level:
            roll = found.get(entry.level, Rule()).roll
            by_level[entry.level] = {_identity(one): one for one in roll}
        by_level[entry.level][_identity(entry)] = entry
    for level, enrolled in by_level.items():
        found[level] = replace(found.get(level, Rule()), roll=tuple(enrolled.values()))
    return replace(rules, rules=found)


def without_entries(rules: RuleSet, entries: Collection[Enrolled]) -> RuleSet:
    """These are struck off."""
    found = dict(rules.rules)
    for level in {entry.level for entry in entries}:
        gone = {_identity(entry) for entry in entries if entry.level == level}
        rule = found.get(level, Rule())
        left = tuple(one for one in rule.roll if _identity(one) not in gone)
        _put(found, level, replace(rule, roll=left))
    return replace(rules, rules=found)


def _put(rules: dict[Level, Rule], level: Level, rule: Rule) -> None:
    if rule.sets_something:
        rules[level] = rule
    else:
        rules.pop(level, None)


def differences(before: RuleSet, after: RuleSet) -> list[Difference]:
    """What the second set has otherwise, wide levels first, those barred last."""
    otherwise = (
        one for one in {*before.rules, *after.rules} if before.rules.get(one) is not after.rules.get(one)
    )
    levels = sorted(otherwise, key=lambda one: one.order)
    found = [
        one
        for level in levels
        for one in _at_level(level, before.rules.get(level, Rule()), after.rules.get(level, Rule()))
    ]
    old, new = ({one.prefix: one for one in rules.barred} for rules in (before, after))
    for prefix in sorted({*old, *new}):
        was, now = old.get(prefix), new.get(prefix)
        if now is None:
            found.append(Difference(EVERYTHING, "bar lifted", was, None))
        elif was != now:
            found.append(Difference(EVERYTHING, "barred", was, now))
    return found


def _at_level(level: Level, before: Rule, after: Rule) -> Iterator[Difference]:
    for name in (*VALUES, "note"):
        if getattr(before, name) != getattr(after, name):
            yield Difference(level, name, getattr(before, name), getattr(after, name))
    old, new = ({_identity(one): one for one in rule.roll} for rule in (before, after))
    for key in sorted({*old, *new}, key=str):
        was, now = old.get(key), new.get(key)
        if was is not None and now is None:
            yield Difference(level, "struck off", was, None)
        elif now is not None and (was is None or _noted_fields(was) != _noted_fields(now)):
            yield Difference(level, "enrolled", was, now)


def _identity(entry: Enrolled) -> tuple[str, int]:
    return entry.prefix, entry.vlan or 0


def _noted_fields(entry: Enrolled) -> tuple[Any, ...]:
    return entry.note, entry.owner, entry.expires_at


def contradictions(
    rules: RuleSet, ports: Mapping[str, Collection[str]], groups: Collection[str]
) -> list[tuple[str, str]]:
    """What is wrong with a set of rules: at which level, and what. `ports`: names of every switch's ports;
    `groups`: those that a switch is in."""
    return [
        (str(level), problem)
        for level, rule in rules.rules.items()
        for problem in (*_unknown(level, ports, groups), *_within(rule))
    ] + list(_between_ranges(rules.rules, ports))


def enrolled_and_barred(rules: RuleSet) -> list[tuple[str, str]]:
    """What is both: at which level it is enrolled, and what is wrong."""
    barred = {one.prefix for one in rules.barred}
    return [
        (str(level), f"{entry} is enrolled, and barred")
        for level, rule in rules.rules.items()
        for entry in rule.roll
        if entry.prefix in barred
    ]


def _unknown(level: Level, ports: Mapping[str, Collection[str]], groups: Collection[str]) -> Iterator[str]:
    if level.group and level.group not in groups:
        yield "no switch is in this group"
    if not level.switch:
        return
    known = ports.get(level.switch)
    if known is None:
        yield f"no switch {level.switch!r} is in the inventory"
    elif not known:
        return  # never read: which ports it has is not known
    elif level.port and level.port not in known:
        yield f"the switch has no port {level.port!r}; {_has(known)}"
    elif level.ports:
        for part in parse_ports(level.ports):
            if not any(part.holds(name) for name in known):
                yield f"{part} matches none of its ports; {_has(known)}"


def _has(known: Collection[str]) -> str:
    names = sorted(known, key=lambda name: (len(name), name))
    return f"it has {names[0]} to {names[-1]}" if len(names) > 1 else f"it has {names[0]}"


def _within(rule: Rule) -> Iterator[str]:
    addresses = {one.prefix for one in rule.roll if one.is_address}
    if rule.seats == 0 and addresses:
        yield f"it has no seats, and {len(addresses)} enrolled"
    if rule.vlans is not None:
        for entry in rule.roll:
            if entry.vlan is not None and entry.vlan not in rule.vlans:
                yield f"{entry} is enrolled, and nobody is expected in that VLAN"


def _between_ranges(
    rules: Mapping[Level, Rule], ports: Mapping[str, Collection[str]]
) -> Iterator[tuple[str, str]]:
    """Two ranges of a switch that share a port may not set a value differently: neither is nearer."""
    by_switch: dict[str, list[tuple[Level, tuple[PortRange, ...]]]] = {}
    for level in sorted(rules, key=lambda one: one.order):
        if level.reach is Reach.RANGE:
            by_switch.setdefault(level.switch, []).append((level, parse_ports(level.ports)))
    for switch, ranges in by_switch.items():
        for at, (one, parts) in enumerate(ranges):
            mine = {name for name in ports.get(switch, ()) if any(part.holds(name) for part in parts)}
            for other, others in ranges[at + 1 :]:
                shared = sorted(name for name in mine if any(part.holds(name) for part in others))
                for name in VALUES if shared else ():
                    first, second = getattr(rules[one], name), getattr(rules[other], name)
                    if first is not None and second is not None and first != second:
                        yield (
                            str(one),
                            f"ports {other.ports} share {shared[0]} with it and set {name} differently: "
                            "set it at one of the two, or at the port",
                        )


def cautions(rules: RuleSet) -> list[str]:
    """What is allowed, and probably not meant; each as a sentence."""
    return [f"{level}: {text}" for level, rule in rules.rules.items() for text in _caution(rule)]


def _caution(rule: Rule) -> Iterator[str]:
    if isinstance(rule.seats, int) and rule.seats > MANY_SEATS:
        yield (
            f"{rule.seats} seats are more than one socket needs: a phone with a computer takes two, a small "
            "switch its ports less one"
        )
    if rule.watched and not rule.roll:
        yield "it is watched and its own roll is empty: who no other level enrols there is a stranger"
    if rule.on_breach in (OnBreach.PROPOSE, OnBreach.CLOSE):
        what = rule.on_breach.value
        yield f"to {what} takes effect once Kite Roll may act on ports; until then it is a finding"
