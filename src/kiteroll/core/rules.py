"""Who may be on a port: its seats and its roll, as said of a group, a switch or the port itself."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TypeVar

from kiteroll.core.mac import MacAddress
from kiteroll.core.topology import At

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Enrolled:
    """An address, or all that begin so, that may be there."""

    prefix: str
    """6 to 12 lower-case hex digits."""
    vlan: int | None = None
    """None: in any VLAN."""

    def covers(self, mac: MacAddress, vlan: int | None) -> bool:
        return (self.vlan is None or self.vlan == vlan) and mac.digits.startswith(self.prefix)


@dataclass(frozen=True, slots=True)
class Rule:
    """What is said at one level; None leaves it to the level above."""

    seats: int | None = None
    """How many endpoints a port may carry."""
    watched: bool | None = None
    """Whether addresses that the roll does not carry are told of."""
    roll: tuple[Enrolled, ...] = ()


class Standing(StrEnum):
    """Of an address that is present on a port."""

    ENROLLED = "enrolled"
    NOT_ENROLLED = "not enrolled"
    """On a port that is not watched."""
    STRANGER = "stranger"


@dataclass(frozen=True, slots=True)
class PortRule:
    """What holds for one port. The nearest word counts for seats and watching; rolls add up."""

    seats: int | None = None
    watched: bool = False
    roll: tuple[Enrolled, ...] = ()

    @property
    def says_something(self) -> bool:
        return self.seats is not None or self.watched

    def standing(self, mac: MacAddress, vlan: int | None) -> Standing:
        if any(one.covers(mac, vlan) for one in self.roll):
            return Standing.ENROLLED
        return Standing.STRANGER if self.watched else Standing.NOT_ENROLLED

    def overfull(self, taken: int) -> bool:
        """With so many different addresses present."""
        return self.seats is not None and taken > self.seats


def inherit(levels: Iterable[Rule]) -> PortRule:
    """`levels`: groups first, then the switch, then the port. Of several groups the strictest word
    counts: the fewest seats, and watched where any says so."""
    told = list(levels)
    return PortRule(
        seats=_last(one.seats for one in told),
        watched=_last(one.watched for one in told) or False,
        roll=tuple(dict.fromkeys(entry for one in told for entry in one.roll)),
    )


@dataclass(frozen=True, slots=True)
class RuleBook:
    """All that operators said, and which groups each switch is in."""

    groups: Mapping[str, Rule] = field(default_factory=dict)
    switches: Mapping[str, Rule] = field(default_factory=dict)
    ports: Mapping[At, Rule] = field(default_factory=dict)
    in_groups: Mapping[str, Sequence[str]] = field(default_factory=dict)

    def rule(self, at: At) -> PortRule:
        switch = at[0]
        named = [self.groups[name] for name in sorted(self.in_groups.get(switch, ())) if name in self.groups]
        levels = [_strictest(named)] if named else []
        if switch in self.switches:
            levels.append(self.switches[switch])
        if at in self.ports:
            levels.append(self.ports[at])
        return inherit(levels)

    def concerns(self, switch: str) -> bool:
        """Whether anything is said that reaches a port of this switch."""
        return (
            switch in self.switches
            or any(name in self.groups for name in self.in_groups.get(switch, ()))
            or any(at[0] == switch for at in self.ports)
        )


def _strictest(rules: Sequence[Rule]) -> Rule:
    seats = [rule.seats for rule in rules if rule.seats is not None]
    watched = [rule.watched for rule in rules if rule.watched is not None]
    roll = tuple(entry for rule in rules for entry in rule.roll)
    return Rule(min(seats, default=None), any(watched) if watched else None, roll)


def _last(words: Iterator[T | None]) -> T | None:
    return next((word for word in reversed(list(words)) if word is not None), None)
