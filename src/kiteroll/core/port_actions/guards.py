"""What speaks against closing a port: nobody is to be locked out, by mistake or by a rule.

Closing alone is guarded, and writing to a switch whose data is old: a port that is opened, or named, cuts
nobody off. A person may override each guard by its name; a rule may not.
"""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.errors import Invalid
from kiteroll.core.port_actions.actions import ActionKind
from kiteroll.core.topology.roles import UNKNOWN_ROLE, PortRole

_HOUR = timedelta(hours=1)
_LATE = 3
"""Intervals without a complete reading after which data is old."""


class Guard(StrEnum):
    UPLINK = "uplink"
    """It leads to a switch of the inventory, or the operator says so."""
    BUNDLE = "bundle"
    """It is a member of a bundle, or one itself (IEEE 802.1AX)."""
    BRIDGE = "bridge-behind"
    """A bridge that is not in the inventory announces itself there."""
    ROUTER = "router-behind"
    """A router announces itself there, or is reached through it."""
    WAY_TO_SERVICE = "way-to-service"
    """This service, its database, its default router or whoever asks is reached through it."""
    MANY_PORTS = "many-ports"
    """More ports than may be closed within an hour."""
    SHARE_OF_SWITCH = "share-of-switch"
    """More of one switch than may be closed."""
    OLD_DATA = "old-data"
    """The switch was not read lately: what is known of the port may be over."""


@dataclass(frozen=True, slots=True)
class Objection:
    guard: Guard
    about: str = ""
    """Who or what it is, or how many of how many."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    ports_per_hour: int = 20
    """Closed on the whole network."""
    by_rule_per_hour: int = 5
    """Of those, closed by rules alone: then a person is called."""
    share_of_switch: float = 0.25
    """Of its ports that are up or were closed here, closed at once."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PortFacts:
    """What is known of the port, and of its switch."""

    role: PortRole = UNKNOWN_ROLE
    bundled: bool = False
    bridge: str = ""
    """One that is not in the inventory and announces itself there."""
    router: str = ""
    vital: Mapping[str, str] = field(default_factory=dict)
    """Addresses present there that are not to be cut off: address to whose it is."""
    closed_lately: int = 0
    """Ports closed within the last hour, on all switches."""
    closed_here: int = 0
    """Ports of this switch that Kite Roll has closed and not reopened."""
    ports_in_use: int = 0
    """Of this switch: ports that are up, and those closed here."""
    complete_at: datetime | None = None
    """Last complete reading of the switch."""
    interval: timedelta | None = None


def objections(kind: ActionKind, facts: PortFacts, limits: Limits, now: datetime) -> list[Objection]:
    """Everything that speaks against it, in the order of `Guard`."""
    return list(_objections(kind, facts, limits, now))


def _objections(kind: ActionKind, facts: PortFacts, limits: Limits, now: datetime) -> Iterator[Objection]:
    if kind is ActionKind.CLOSE:
        if facts.role.is_uplink:
            yield Objection(Guard.UPLINK, ", ".join(facts.role.adjacent))
        if facts.bundled:
            yield Objection(Guard.BUNDLE)
        if facts.bridge or facts.role.beyond:
            yield Objection(Guard.BRIDGE, facts.bridge or facts.role.beyond)
        if facts.router:
            yield Objection(Guard.ROUTER, facts.router)
        if facts.vital:
            whose = ", ".join(f"{owner} ({address})" for address, owner in sorted(facts.vital.items()))
            yield Objection(Guard.WAY_TO_SERVICE, whose)
        if facts.closed_lately >= limits.ports_per_hour:
            yield Objection(Guard.MANY_PORTS, f"{facts.closed_lately} of {limits.ports_per_hour}")
        most = max(1, int(limits.share_of_switch * facts.ports_in_use))
        if facts.closed_here >= most:
            yield Objection(Guard.SHARE_OF_SWITCH, f"{facts.closed_here} of {facts.ports_in_use}")
    if kind in (ActionKind.CLOSE, ActionKind.REOPEN) and _old(facts, now):
        yield Objection(Guard.OLD_DATA, "" if facts.complete_at is None else facts.complete_at.isoformat())


def _old(facts: PortFacts, now: datetime) -> bool:
    if facts.complete_at is None:
        return True
    return now - facts.complete_at > _LATE * (facts.interval or _HOUR)


def not_overridden(found: Iterable[Objection], overrides: Collection[Guard]) -> list[Objection]:
    """What is left of the objections. Raises Invalid for an override of a guard that does not object: whoever
    names one is to know what is in the way."""
    objecting = list(found)
    needless = sorted(set(overrides) - {one.guard for one in objecting})
    if needless:
        raise Invalid(f"nothing to override: the guard {needless[0]} does not object here; leave it out")
    return [one for one in objecting if one.guard not in overrides]
