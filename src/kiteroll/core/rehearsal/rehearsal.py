"""A rehearsal: changed rules over the recorded past, switch by switch, and what they would have found."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.uplink_claims import SETTLED
from kiteroll.core.rehearsal.port_breaches import (
    PortBreach,
    Present,
    crowd_breaches,
    roll_breaches,
    spans_by_mac,
)
from kiteroll.core.rehearsal.seat_needs import SeatNeed, seat_need
from kiteroll.core.rehearsal.spans import Span, instant, joined, length, micros, most_at_once, without

KEPT = 5_000
"""Breaches a result holds, the longest; all are counted."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchPast:
    """What was recorded of one switch within the time that is rehearsed."""

    switch: str
    present: Mapping[str, Sequence[Present]]
    """By port: who was present, and when."""
    uplinks: Mapping[str, Sequence[tuple[datetime, datetime | None]]]
    """By port: when it counted as an uplink."""
    known_since: datetime | None
    """Its first reading."""
    uplinks_since: datetime | None = None
    """From when on it is recorded which ports are uplinks; None: from the first reading on."""
    ageing: timedelta
    """For how long it may hold somebody who left."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RehearsedBreach:
    """What would have been one opening of a finding."""

    kind: FindingKind
    ports: tuple[PortRef, ...]
    mac: MacAddress | None
    vlan: int | None
    began_at: datetime
    ended_at: datetime
    count: int
    on_breach: str
    reported: bool
    """Whether it would have been a finding: it lasted, and its rule says so."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PortToll:
    """How often a port would have broken its rule, and for how long in all."""

    port: PortRef
    breaches: int
    lasted: timedelta


@dataclass(frozen=True, slots=True, kw_only=True)
class RehearsalResult:
    began_at: datetime
    ended_at: datetime
    recorded_since: datetime | None
    """The earliest first reading; None when no switch was ever read."""
    stays: int
    """Intervals that were gone through."""
    breaches: tuple[RehearsedBreach, ...]
    """Those that would have been findings, the longest first; at most `KEPT`."""
    reported: int
    """How many there would have been."""
    not_reported: int
    """Breaches too short to be reported, or of rules that report nothing."""
    by_kind: Mapping[FindingKind, int]
    by_day: Mapping[date, int]
    """Days in UTC on which one began."""
    ports: tuple[PortToll, ...]
    """Those that would have hurt, the most first."""
    devices: tuple[tuple[MacAddress, int], ...]
    """Addresses concerned, and how often."""
    without_effect: tuple[PortRef, ...]
    """Ports with a rule that nothing would have broken."""
    seats: tuple[SeatNeed, ...]
    """How many seats each port needed, the fullest first; ports where nobody ever was are left out."""


@dataclass(slots=True)
class _Gathered:
    breaches: list[PortBreach] = field(default_factory=list)
    ruled: set[PortRef] = field(default_factory=set)
    seats: list[SeatNeed] = field(default_factory=list)
    stays: int = 0
    recorded_since: datetime | None = None


class Rehearsal:
    """Takes the past in switch by switch; a million stays need no more memory than their breaches."""

    def __init__(
        self,
        rules: RuleBook,
        not_counted: NotCounted,
        began_at: datetime,
        ended_at: datetime,
        *,
        delay: timedelta,
        again_after: timedelta,
    ) -> None:
        """`delay`: for how long a rule must be broken before it is reported. `again_after`: how long a
        finding must be over before it opens again."""
        self._rules = rules
        self._not_counted = not_counted
        self._began_at, self._ended_at = began_at, ended_at
        self._delay = delay
        self._again_after = length(again_after)
        self._all = _Gathered()

    def add(self, past: SwitchPast) -> None:
        """Go through one switch."""
        if past.known_since is not None:
            known = self._all.recorded_since or past.known_since
            self._all.recorded_since = min(known, past.known_since)
        barred = len(self._rules.barred) > 0
        start = micros(max(self._began_at, past.known_since or self._began_at))
        for name, present in past.present.items():
            port = (past.switch, name)
            rule = self._rules.rule(port)
            self._all.stays += len(present)
            left_out = self._not_counted.among({one[0] for one in present})
            counted = [one for one in present if one[0] not in left_out] if left_out else present
            uplink = _uplink_spans(past, name, micros(self._ended_at))
            if uplink and not rule.uplinks:
                passing = [cut for one in counted for cut in _within(one, uplink)] if barred else []
                counted = [cut for one in counted for cut in _outside(one, uplink)]
                self._all.breaches += roll_breaches(port, passing, self._rules, self._delay, lifted=True)
            if not counted:
                continue
            by_mac = spans_by_mac(counted)
            most, times = most_at_once(
                [span for spans in by_mac.values() for span in (spans if len(spans) == 1 else joined(spans))]
            )
            self._all.seats.append(seat_need(port, times))
            if rule.sets_something:
                self._all.ruled.add(port)
            if rule.watched or rule.vlans is not None or barred:
                self._all.breaches += roll_breaches(port, counted, self._rules, self._delay)
            if rule.overfull(most):
                self._all.breaches += crowd_breaches(port, by_mac, rule, self._delay, past.ageing, start)

    def result(self) -> RehearsalResult:
        every = list(self._occurrences())
        reported = [one for one in every if one.reported]
        reported.sort(key=lambda one: (one.began_at - one.ended_at, one.began_at, one.ports))
        tolls = _tolls(reported)
        broken = {port for one in reported for port in one.ports}
        return RehearsalResult(
            began_at=self._began_at,
            ended_at=self._ended_at,
            recorded_since=self._all.recorded_since,
            stays=self._all.stays,
            breaches=tuple(reported[:KEPT]),
            reported=len(reported),
            not_reported=len(every) - len(reported),
            by_kind=Counter(one.kind for one in reported),
            by_day=Counter(one.began_at.date() for one in reported),
            ports=tolls,
            devices=tuple(Counter(one.mac for one in reported if one.mac is not None).most_common()),
            without_effect=tuple(sorted(self._all.ruled - broken)),
            seats=tuple(sorted(self._all.seats, key=lambda one: (-one.peak, one.port))),
        )

    def _occurrences(self) -> Iterable[RehearsedBreach]:
        """Breaches of one subject that a finding would not have been over between are one."""
        by_subject: dict[tuple[object, ...], list[PortBreach]] = defaultdict(list)
        for one in self._all.breaches:
            anywhere = one.kind in (FindingKind.OUT_OF_PLACE, FindingKind.BARRED)
            by_subject[one.kind, one.mac, None if anywhere else one.port].append(one)
        for parts in by_subject.values():
            parts = [one for one in parts if not one.passing] or parts
            reported = [one for one in parts if one.reported]
            for group, is_reported in ((reported, True), ([one for one in parts if not one.reported], False)):
                for began, ended in joined((one.span for one in group), self._again_after):
                    within = [one for one in group if began <= one.span[0] < ended]
                    first = within[0]
                    yield RehearsedBreach(
                        kind=first.kind,
                        ports=tuple(sorted({one.port for one in within})),
                        mac=first.mac,
                        vlan=first.vlan,
                        began_at=instant(began),
                        ended_at=instant(ended),
                        count=max(one.count for one in within),
                        on_breach=first.on_breach.value,
                        reported=is_reported,
                    )


def _tolls(reported: Sequence[RehearsedBreach]) -> tuple[PortToll, ...]:
    found: dict[PortRef, PortToll] = {}
    for one in reported:
        for port in one.ports:
            known = found.get(port, PortToll(port=port, breaches=0, lasted=timedelta(0)))
            lasted = known.lasted + (one.ended_at - one.began_at)
            found[port] = replace(known, breaches=known.breaches + 1, lasted=lasted)
    return tuple(sorted(found.values(), key=lambda one: (-one.lasted, -one.breaches, one.port)))


def _uplink_spans(past: SwitchPast, port: str, until: int) -> list[Span]:
    """What shows as an uplink soon after the first reading of its switch, or when it was first recorded which
    ports are uplinks, was one all the time before."""
    began_to_know = max((at for at in (past.known_since, past.uplinks_since) if at is not None), default=None)
    found: list[Span] = []
    for began, ended in past.uplinks.get(port, ()):
        new = began_to_know is not None and began - began_to_know < SETTLED
        found.append((0 if new else micros(began), until if ended is None else micros(ended)))
    return joined(found)


def _outside(one: Present, uplink: Sequence[Span]) -> list[Present]:
    mac, vlan, began, ended = one
    return [(mac, vlan, *span) for span in without((began, ended), uplink)]


def _within(one: Present, uplink: Sequence[Span]) -> list[Present]:
    mac, vlan, began, ended = one
    return [
        (mac, vlan, max(began, cut_from), min(ended, cut_to))
        for cut_from, cut_to in uplink
        if cut_from < ended and cut_to > began
    ]
