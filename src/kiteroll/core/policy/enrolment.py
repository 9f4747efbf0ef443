"""Enrolment: windows in which who is present becomes a candidate, and entries that could be replaced."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.core.errors import Invalid
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.evaluation import Exempt
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.occupancy import NotCounted, PortOccupancy
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.core.policy.roll import Enrolled
from kiteroll.core.policy.rule_book import RuleBook

LONGEST_WINDOW = timedelta(days=90)
_SAME_MAKER = 6
"""Hex digits that addresses of one maker have in common (MA-L)."""


@dataclass(frozen=True, slots=True)
class Window:
    """A time in which those present at some ports become candidates."""

    level: Level
    begins_at: datetime
    ends_at: datetime
    min_present: timedelta = timedelta(0)
    """For how long one must have been present in it, in all."""

    def __post_init__(self) -> None:
        length = self.ends_at - self.begins_at
        if not timedelta(0) < length <= LONGEST_WINDOW:
            raise Invalid(
                f"window: it lasts {length}; it must end after it begins, "
                f"at most {LONGEST_WINDOW.days} days later"
            )
        if not timedelta(0) <= self.min_present <= length:
            raise Invalid("window: nobody can be present for longer than it lasts")

    def overlaps(
        self, other: "Window", ports: Iterable[PortRef], groups: Mapping[str, Sequence[str]]
    ) -> bool:
        """Whether both take candidates at one port at one time. `groups`: of every switch."""
        if self.begins_at >= other.ends_at or other.begins_at >= self.ends_at:
            return False
        return any(
            self.level.holds(port, groups.get(port[0], ()))
            and other.level.holds(port, groups.get(port[0], ()))
            for port in ports
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Presence:
    """An interval in which an address was at a port."""

    mac: MacAddress
    port: PortRef
    vlan: int | None
    began_at: datetime
    ended_at: datetime | None
    """None: it is there still."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    mac: MacAddress
    port: PortRef
    vlans: tuple[int, ...]
    since: datetime
    """First seen there in the window."""
    seen_at: datetime
    """Last seen there in it."""
    present: timedelta
    """In the window, in all."""
    share: float
    """Of the window that is over: 0 to 1."""
    here_now: bool


@dataclass(slots=True)
class _Times:
    vlans: set[int] = field(default_factory=set)
    spans: list[tuple[datetime, datetime]] = field(default_factory=list)
    here_now: bool = False


def candidates(
    window: Window,
    presences: Iterable[Presence],
    rules: RuleBook,
    exempt: Exempt,
    not_counted: NotCounted,
    now: datetime,
) -> list[Candidate]:
    """Who was present at ports of the window for long enough and is not enrolled there, by port and address.
    Nobody is a candidate at an exempt port, and none of those barred is."""
    end = min(window.ends_at, now)
    if end <= window.begins_at:
        return []
    times: dict[tuple[PortRef, MacAddress], _Times] = defaultdict(_Times)
    lifted: dict[PortRef, bool] = {}
    for one in presences:
        begin, until = max(one.began_at, window.begins_at), min(one.ended_at or end, end)
        if begin >= until or one.mac in not_counted:
            continue
        if lifted.setdefault(one.port, exempt(one.port)):
            continue
        rule = rules.rule(one.port)
        if rules.status(rule, one.mac, one.vlan, now) in (RollStatus.ENROLLED, RollStatus.BARRED):
            continue
        known = times[one.port, one.mac]
        known.spans.append((begin, until))
        known.here_now |= one.ended_at is None
        if one.vlan is not None:
            known.vlans.add(one.vlan)
    found = []
    for (port, mac), known in sorted(times.items()):
        present = covered(known.spans)
        if present >= window.min_present:
            found.append(
                Candidate(
                    mac=mac,
                    port=port,
                    vlans=tuple(sorted(known.vlans)),
                    since=min(begin for begin, _ in known.spans),
                    seen_at=max(until for _, until in known.spans),
                    present=present,
                    share=present / (end - window.begins_at),
                    here_now=known.here_now,
                )
            )
    return found


def covered(spans: Iterable[tuple[datetime, datetime]]) -> timedelta:
    """How much time intervals cover together: an address in two VLANs is there once."""
    total, reached = timedelta(0), None
    for begin, end in sorted(spans):
        if reached is None or begin > reached:
            total, reached = total + (end - begin), end
        elif end > reached:
            total, reached = total + (end - reached), end
    return total


@dataclass(frozen=True, slots=True)
class Replacement:
    """A newcomer that may stand in for an enrolled endpoint of the same kind that is gone."""

    entry: Enrolled
    mac: MacAddress


def replacements(
    occupancy: PortOccupancy, random: Collection[MacAddress], now: datetime
) -> list[Replacement]:
    """Each stranger with the one absent entry of the port's own roll that it may replace: of the same
    maker by its address, or random like it. `random`: addresses that devices make up."""
    own = occupancy.absent(now)
    found = []
    for one in occupancy.of_status(RollStatus.STRANGER):
        alike = [entry for entry in own if _same_kind(entry, one.mac, random)]
        if len(alike) == 1:
            found.append(Replacement(alike[0], one.mac))
            own.remove(alike[0])
    return found


def _same_kind(entry: Enrolled, mac: MacAddress, random: Collection[MacAddress]) -> bool:
    if entry.mac is None:
        return False
    if entry.mac in random or mac in random:
        return entry.mac in random and mac in random
    return entry.prefix[:_SAME_MAKER] == mac.digits[:_SAME_MAKER]
