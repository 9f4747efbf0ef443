"""Rules of ports: seats, watching and the roll, set for a group, a switch or a port."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TypeVar

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Enrolled:
    """An address, or every address with a prefix, that is authorised."""

    prefix: str
    """6 to 12 lower-case hex digits."""
    vlan: int | None = None
    """None: in any VLAN."""

    @property
    def is_address(self) -> bool:
        """Whether it is one whole address."""
        return len(self.prefix) == 12

    def covers(self, mac: MacAddress, vlan: int | None) -> bool:
        return (self.vlan is None or self.vlan == vlan) and mac.digits.startswith(self.prefix)


@dataclass(frozen=True, slots=True)
class Level:
    """Where a rule is set: a group, a switch, or one port of a switch; the rest is empty."""

    group: str = ""
    switch: str = ""
    port: str = ""


@dataclass(frozen=True, slots=True)
class Rule:
    """Settings at one level; None inherits."""

    seats: int | None = None
    """How many endpoints a port may carry."""
    watched: bool | None = None
    """Whether addresses that are not on the roll raise a finding."""
    roll: tuple[Enrolled, ...] = ()


class RollStatus(StrEnum):
    """Of an address that is present on a port."""

    ENROLLED = "enrolled"
    NOT_ENROLLED = "not enrolled"
    """On a port that is not watched."""
    STRANGER = "stranger"


@dataclass(frozen=True, slots=True)
class PortRule:
    """What applies to one port. The nearest level counts for seats and watching; rolls add up."""

    seats: int | None = None
    watched: bool = False
    roll: tuple[Enrolled, ...] = ()

    @property
    def sets_something(self) -> bool:
        return self.seats is not None or self.watched

    def status(self, mac: MacAddress, vlan: int | None) -> RollStatus:
        if any(entry.covers(mac, vlan) for entry in self.roll):
            return RollStatus.ENROLLED
        return RollStatus.STRANGER if self.watched else RollStatus.NOT_ENROLLED

    def overfull(self, present: int) -> bool:
        """With so many different addresses present."""
        return self.seats is not None and present > self.seats


def inherit(levels: Iterable[Rule]) -> PortRule:
    """`levels`: groups first, then the switch, then the port."""
    given = list(levels)
    return PortRule(
        seats=_nearest(rule.seats for rule in given),
        watched=_nearest(rule.watched for rule in given) or False,
        roll=tuple(dict.fromkeys(entry for rule in given for entry in rule.roll)),
    )


@dataclass(frozen=True, slots=True)
class RuleBook:
    """Every rule that is set, and the groups each switch is in."""

    groups: Mapping[str, Rule] = field(default_factory=dict)
    switches: Mapping[str, Rule] = field(default_factory=dict)
    ports: Mapping[PortRef, Rule] = field(default_factory=dict)
    in_groups: Mapping[str, Sequence[str]] = field(default_factory=dict)

    def rule(self, port: PortRef) -> PortRule:
        switch = port[0]
        named = [self.groups[name] for name in sorted(self.in_groups.get(switch, ())) if name in self.groups]
        levels = [_strictest(named)] if named else []
        if switch in self.switches:
            levels.append(self.switches[switch])
        if port in self.ports:
            levels.append(self.ports[port])
        return inherit(levels)

    def concerns(self, switch: str) -> bool:
        """Whether any rule reaches a port of this switch."""
        return (
            switch in self.switches
            or any(name in self.groups for name in self.in_groups.get(switch, ()))
            or any(port[0] == switch for port in self.ports)
        )


def _strictest(rules: Sequence[Rule]) -> Rule:
    """Of several groups the strictest counts: the fewest seats, and watched where any says so."""
    seats = [rule.seats for rule in rules if rule.seats is not None]
    watched = [rule.watched for rule in rules if rule.watched is not None]
    roll = tuple(entry for rule in rules for entry in rule.roll)
    return Rule(min(seats, default=None), any(watched) if watched else None, roll)


def _nearest(values: Iterator[T | None]) -> T | None:
    return next((value for value in reversed(list(values)) if value is not None), None)
