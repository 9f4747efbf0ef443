"""One address, several places: moved, flapping, or really twice?

On one switch an address is at one port a VLAN, so every jump ends a stay there and begins another.
The switch with the most such jumps tells how often the address went; the access ports it was
learned at tell between which places. A move is one jump, a flap several, and a doubled address is
one that keeps being learned at two ports that never went down, or is in both tables for longer
than what lingers after a move.
"""

from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import Enum
from itertools import pairwise

from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject, Thresholds
from kiteroll.core.home import Sighting, both_real
from kiteroll.core.mac import MacAddress
from kiteroll.core.topology import At

_VIRTUAL_ROUTERS = (0x00005E0001, 0x00005E0002)
"""First five octets of virtual router addresses, IPv4 and IPv6 (RFC 9568 section 7.3)."""
_FEW = 4
"""More access places than this in one window is roaming about, not flapping between some."""
_CROWD = 3
"""Addresses on a port from which it may be an access point or a switch of its own."""


_WAIT = timedelta(minutes=3)
"""For readings that tell whether links changed; then it is judged without."""


class Wait(Enum):
    """Ask again after further readings."""

    WAIT = "wait"


WAIT = Wait.WAIT


@dataclass(frozen=True, slots=True)
class PortFacts:
    """What is known of an access port besides the address in question."""

    changed_at: datetime | None = None
    """When its link last went up or down."""
    others: frozenset[MacAddress] = frozenset()
    """Other addresses present there."""


Facts = Callable[[At], PortFacts]


def shared_by_design(mac: MacAddress, own: frozenset[str]) -> bool:
    """Whether several devices may answer with it: virtual routers, and the operator's list of
    addresses and prefixes, as hex digits."""
    if mac >> 8 in _VIRTUAL_ROUTERS:
        return True
    digits = mac.digits
    return any(digits.startswith(prefix) for prefix in own)


def judge(
    mac: MacAddress, sightings: Sequence[Sighting], facts: Facts, limits: Thresholds, now: datetime
) -> "Sign | Wait | None":
    """What the stays of one address say: open ones, and those that ended within the window.

    WAIT when it cannot be said before the switches concerned were read again."""
    since = now - limits.window
    jumps = _jumps(sightings, since)
    access = sorted((one for one in sightings if not one.uplink), key=lambda one: one.stay.began_at)
    places = _places(access, since)
    if not access or len(places) + len(jumps) < 2:
        return None
    twice = _at_once(access)
    if twice is not None:
        at = max(one.stay.resumed_at for one in twice)
        seen_at = max(one.read_at or at for one in twice)
        told = tuple(Evidence(one.stay.resumed_at, f"learned at {one.stay.place}") for one in twice)
        both = Evidence(seen_at, "both are still there, longer than what lingers after a move")
        return _doubled(mac, places, (*told, both), at, seen_at, facts)
    if len(jumps) >= limits.jumps and len(places) <= _FEW and places:
        evidence = _evidence(mac, jumps)
        begins = Counter(_at(one) for one in access if one.stay.began_at >= since)
        often = [at for at, count in begins.items() if count >= 2]
        steady = _steady(places, access, jumps, facts, limits, now)
        if steady is None:
            return WAIT
        cause = _cause(places, facts, steady)
        if steady and (len(often) >= 2 or (len(places) == 2 and often)) and not cause:
            return _doubled(mac, places, evidence, jumps[0].at, jumps[-1].at, facts)
        return _flapping(mac, places, evidence, jumps, cause, facts, since)
    return _moved(mac, access, facts, since)


def _steady(
    places: Sequence[At],
    access: Sequence[Sighting],
    jumps: Sequence["Jump"],
    facts: Facts,
    limits: Thresholds,
    now: datetime,
) -> bool | None:
    """Whether no link went down or up with the latest jumps; None when that cannot be said yet,
    for the switches of the places have not been read since.

    A cable that is re-plugged changes links with each jump; a twin's link came up once, before.
    """
    read_at = {_at(one): one.read_at for one in access}
    seen = [read_at.get(at) for at in places]
    horizon = min((at for at in seen if at is not None), default=None)
    settled = [jump for jump in jumps if horizon is not None and jump.at <= horizon]
    if None in seen or len(settled) < limits.jumps:
        return None if now - jumps[-1].at < _WAIT else False
    return not any(_changed(facts(at), settled[-2].at) for at in places)


@dataclass(frozen=True, slots=True)
class Jump:
    at: datetime
    origin: Sighting
    to: Sighting

    def __str__(self) -> str:
        here, there = self.origin.stay.place, self.to.stay.place
        return f"on {there.switch}: from port {here.port} to port {there.port}"


def _jumps(sightings: Sequence[Sighting], since: datetime) -> list[Jump]:
    """Jumps on the switch that saw most of them, within the window, in order of time."""
    tables: dict[tuple[str, int | None], list[Sighting]] = defaultdict(list)
    for one in sightings:
        tables[one.stay.place.switch, one.stay.place.vlan].append(one)
    found: list[list[Jump]] = []
    for stays in tables.values():
        ordered = sorted(stays, key=lambda one: (one.stay.began_at, one.stay.id))
        found.append(
            [
                Jump(later.stay.began_at, earlier, later)
                for earlier, later in pairwise(ordered)
                if later.stay.began_at >= since and _at(earlier) != _at(later)
            ]
        )
    return max(found, key=len, default=[])


def _places(access: Sequence[Sighting], since: datetime) -> list[At]:
    """Access places it was at within the window, in order of their latest learning."""
    latest: dict[At, datetime] = {}
    for one in access:
        if one.open or (one.stay.ended_at is not None and one.stay.ended_at >= since):
            latest[_at(one)] = one.stay.began_at
    return sorted(latest, key=lambda at: latest[at])


def _at_once(access: Sequence[Sighting]) -> tuple[Sighting, Sighting] | None:
    present = [one for one in access if one.present]
    for at, one in enumerate(present):
        for other in present[at + 1 :]:
            if _at(one) != _at(other) and both_real(one, other):
                return one, other
    return None


def _doubled(
    mac: MacAddress,
    places: Sequence[At],
    evidence: tuple[Evidence, ...],
    first_at: datetime,
    last_at: datetime,
    facts: Facts,
) -> Sign:
    steady = tuple(
        Evidence(changed, f"{switch} port {port} has been up without a break since then")
        for switch, port in places
        if (changed := facts((switch, port)).changed_at) is not None
    )
    return Sign(
        kind=Kind.DOUBLED,
        severity=Severity.SERIOUS,
        subject=Subject(mac=mac),
        title=f"{mac} is at {_named(places)} at the same time",
        cause="cloned address: two devices answer with the same one, for both ports are steadily up",
        evidence=tuple(sorted((*evidence, *steady))),
        first_at=first_at,
        last_at=last_at,
        places=frozenset(places),
    )


def _flapping(
    mac: MacAddress,
    places: Sequence[At],
    evidence: tuple[Evidence, ...],
    jumps: Sequence[Jump],
    cause: str,
    facts: Facts,
    since: datetime,
) -> Sign:
    plugged = [at for at in places if _changed(facts(at), since)]
    links = tuple(
        Evidence(facts(at).changed_at or since, f"the link of {at[0]} port {at[1]} went up or down")
        for at in plugged
    )
    if plugged and not cause:
        cause = "loose or re-plugged cable: the link of a port went down in between"
    return Sign(
        kind=Kind.FLAPPING,
        severity=Severity.WARNING,
        subject=Subject(mac=mac),
        title=f"{mac} jumped {len(jumps)} times between {_named(places)}",
        cause=cause or "not clear yet: neither the links nor the other addresses on the ports tell",
        evidence=tuple(sorted((*evidence, *links))),
        first_at=jumps[0].at,
        last_at=jumps[-1].at,
        places=frozenset(places),
    )


def _moved(mac: MacAddress, access: Sequence[Sighting], facts: Facts, since: datetime) -> Sign | None:
    """The home went from one place to another, and the first no longer has it."""
    here = access[-1]
    before = [one for one in access if _at(one) != _at(here) and one.stay.began_at < here.stay.began_at]
    if not before or not here.present or here.stay.began_at < since:
        return None
    origin = before[-1]
    if origin.present:
        return None
    left_at = origin.stay.ended_at or origin.stay.last_seen_at
    if left_at is None or left_at < since:
        return None
    changed = facts(_at(origin)).changed_at
    pulled = None if changed is None or changed < since else changed
    evidence = [
        Evidence(left_at, f"no longer at {origin.stay.place}"),
        Evidence(here.stay.began_at, f"learned at {here.stay.place}"),
    ]
    if pulled is not None:
        evidence.append(Evidence(pulled, f"the link of {_at(origin)[0]} port {_at(origin)[1]} went down"))
    same = origin.stay.place.switch == here.stay.place.switch
    cause = "re-plugged" if same else "carried elsewhere"
    return Sign(
        kind=Kind.MOVED,
        severity=Severity.NOTE,
        subject=Subject(mac=mac),
        title=f"{mac} moved from {_named([_at(origin)])} to {_named([_at(here)])}",
        cause=f"{cause}: its link went down before" if pulled else cause,
        evidence=tuple(sorted(evidence)),
        first_at=min(left_at, here.stay.began_at),
        last_at=here.stay.began_at,
        places=frozenset({_at(origin), _at(here)}),
    )


def _cause(places: Sequence[At], facts: Facts, steady: bool) -> str:
    """Causes that the other addresses on the ports tell of; empty when they tell of none."""
    others = [facts(at).others for at in places]
    if len(places) >= 2 and all(len(one) >= _CROWD for one in others):
        return "roaming: the ports carry many addresses, as access points do"
    if len(places) == 2 and steady and all(others):
        makers = [{mac >> 24 for mac in one} for one in others]
        if makers[0] & makers[1]:
            return "failover pair: on both ports stays a device of the same make that does not jump"
    return ""


def _evidence(mac: MacAddress, jumps: Sequence[Jump]) -> tuple[Evidence, ...]:
    return tuple(Evidence(jump.at, f"{mac} went {jump}") for jump in jumps)


def _changed(port: PortFacts, since: datetime) -> bool:
    return port.changed_at is not None and port.changed_at > since


def _at(one: Sighting) -> At:
    return (one.stay.place.switch, one.stay.place.port)


def _named(places: Sequence[At]) -> str:
    return " and ".join(f"{switch} port {port}" for switch, port in places)


WATCH_FOR = timedelta(minutes=30)
"""An address at two places is looked at again for this long."""
