"""Which of the places an endpoint is seen at is the one it attaches to, how sure that is, and the way there.

An address is learned on every switch its frames cross. On all but one of them the port leads on
to another switch; the place where it does not is the endpoint's home.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.stay import Stay
from kiteroll.core.topology import Role, Topology

_AGEING = timedelta(seconds=300)
_AT_ONCE = timedelta(seconds=90)
"""Places learned within this of each other tell no order: switches are read at different instants."""


class Confidence(StrEnum):
    SURE = "sure"
    LIKELY = "likely"
    DOUBTFUL = "doubtful"
    NONE = "none"
    """There is no home."""


@dataclass(frozen=True, slots=True)
class Sighting:
    stay: Stay
    leads_to: tuple[str, ...] = ()
    """Known switches behind the port."""
    uplink: bool = False
    """Whether the port counts as an uplink."""
    beyond: str = ""
    """A bridge behind the port that is not in the inventory."""
    crowd: int = 1
    """Addresses present on the port."""
    read_at: datetime | None = None
    """Last complete reading of the switch."""
    ageing: timedelta = _AGEING

    @property
    def open(self) -> bool:
        return self.stay.ended_at is None

    @property
    def present(self) -> bool:
        return self.open and self.stay.last_seen_at is None


@dataclass(frozen=True, slots=True)
class Home:
    at: Sighting | None
    why: str
    """The weightiest reason, in a sentence."""
    confidence: Confidence = Confidence.NONE
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Hop:
    """One switch on the way to an endpoint."""

    switch: str
    port: str
    """Where its frames go on to the endpoint."""
    heard: bool
    """Whether the switch has learned the address there; else the way is known by the next switches."""
    leads_to: str
    """The next switch; empty at the end of the way."""
    why: str


def sighting(
    stay: Stay,
    topology: Topology,
    *,
    crowd: int = 1,
    read_at: datetime | None = None,
    ageing: timedelta | None = None,
) -> Sighting:
    role = topology.role((stay.place.switch, stay.place.port))
    uplink = role.role is Role.UPLINK
    return Sighting(stay, role.leads_to, uplink, role.beyond, crowd, read_at, ageing or _AGEING)


def order(sightings: Sequence[Sighting]) -> list[Sighting]:
    """Likeliest home first: access before uplink, present before quiet, then the later learned; of
    those learned at once the one on the emptier port."""
    latest = max((one.stay.began_at for one in sightings if one.open and not one.uplink), default=None)

    def key(one: Sighting) -> tuple[object, ...]:
        fresh = latest is None or latest - one.stay.began_at <= _AT_ONCE
        return (
            one.uplink,
            not one.open,
            not one.present,
            not fresh,
            one.crowd if fresh else 0,
            -one.stay.began_at.timestamp(),
            len(one.leads_to),
            one.stay.id,
        )

    return sorted(sightings, key=key)


def both_real(one: Sighting, other: Sighting) -> bool:
    """Whether an address is really at both places at once, beyond what lingers after a move.

    The older place must still be in a reading taken later than the new learning plus the ageing
    time of its switch, and the newer place must be there at that time too.
    """
    if not (one.present and other.present):
        return False
    older, newer = sorted((one, other), key=lambda each: each.stay.resumed_at)
    learned_at = newer.stay.resumed_at
    seen = (older.read_at, newer.read_at)
    if seen[0] is None or seen[1] is None:
        return False
    return seen[0] > learned_at + older.ageing and seen[1] >= learned_at


def choose_home(sightings: Sequence[Sighting]) -> Home:
    """The home among `sightings`, with reasons. Ties go to what was learned later."""
    ordered = order(sightings)
    access = [one for one in ordered if one.open and not one.uplink]
    if not access:
        return _without_access(ordered)
    home = access[0]
    reasons = [*_against_uplinks(ordered), *_against_others(home, access[1:])]
    confidence = Confidence.SURE
    if not home.present:
        confidence = Confidence.LIKELY
        reasons.append("it is quiet there: not in the latest reading, but within its hold time")
    if any(one.present for one in access[1:]):
        confidence = Confidence.DOUBTFUL
    elif access[1:]:
        confidence = Confidence.LIKELY
    if home.beyond:
        confidence = Confidence.LIKELY if confidence is Confidence.SURE else confidence
        reasons.insert(0, f"it is beyond that port, through {home.beyond}, which is not in the inventory")
    if not reasons:
        reasons.append("it is seen nowhere else, and the port leads to no known switch")
    return Home(home, reasons[0], confidence, tuple(reasons))


def _without_access(ordered: Sequence[Sighting]) -> Home:
    now = [one for one in ordered if one.open]
    if not now:
        why = "it is gone: learned nowhere now"
        return Home(None, why, Confidence.NONE, (why,))
    seen_on = {one.stay.place.switch for one in now}
    for one in now:
        nearest = [name for name in one.leads_to if name in seen_on]
        if not nearest and one.present and one.leads_to:
            place = one.stay.place
            why = (
                f"it is beyond {place.switch} port {place.port}, through something that is not in the "
                f"inventory: the switches behind it ({', '.join(one.leads_to[:3])}) have not learned it"
            )
            return Home(one, why, Confidence.DOUBTFUL, (why,))
    behind = sorted({name for one in now for name in one.leads_to})
    why = (
        f"it is seen only on ports that lead to other switches ({', '.join(behind[:5])}): it hangs on "
        "something that is not read, or has been heard there only in passing"
    )
    return Home(None, why, Confidence.NONE, (why,))


def _against_uplinks(ordered: Sequence[Sighting]) -> list[str]:
    uplinks = sum(1 for one in ordered if one.uplink and one.open)
    if not uplinks:
        return []
    return [f"every other port it is seen on ({uplinks}) leads to another switch"]


def _against_others(home: Sighting, others: Sequence[Sighting]) -> list[str]:
    reasons = []
    for one in others:
        place = one.stay.place
        if home.present and not one.present:
            reasons.append(f"it is present here, and quiet at {place}")
        elif home.stay.began_at - one.stay.began_at > _AT_ONCE:
            reasons.append(f"it was learned here later than at {place}")
        else:
            reasons.append(
                f"it is seen at {place} as well, learned at the same time; fewer addresses are on this port"
            )
    return reasons


def way_to(home: Sighting, sightings: Sequence[Sighting], start: str, topology: Topology) -> list[Hop]:
    """From switch `start` to the home, hop by hop; empty when no way is known."""
    heard: Mapping[str, Sighting] = {
        one.stay.place.switch: one for one in reversed(order(sightings)) if one.open
    }
    goal = home.stay.place.switch
    hops: list[Hop] = []
    here, visited = start, set[str]()
    while here != goal and here not in visited:
        visited.add(here)
        port = topology.port_towards(here, goal)
        if port is None:
            return []
        role = topology.role((here, port))
        there = _next(role.nearest, goal, topology)
        seen = heard.get(here)
        is_heard = seen is not None and seen.stay.place.port == port
        hops.append(Hop(here, port, is_heard, there, role.why))
        here = there
    if here != goal:
        return []
    hops.append(Hop(goal, home.stay.place.port, True, "", _at_the_end(home, topology)))
    return hops


def _at_the_end(home: Sighting, topology: Topology) -> str:
    people = "1 address" if home.crowd == 1 else f"{home.crowd} addresses"
    if home.uplink:
        return f"an uplink, {people}: {', '.join(home.leads_to[:3])} behind it has not learned the address"
    if home.beyond:
        return f"access, {people}: through {home.beyond}, not in the inventory"
    return f"access, {people}: {topology.role((home.stay.place.switch, home.stay.place.port)).why}"


def _next(nearest: Sequence[str], goal: str, topology: Topology) -> str:
    """Which of the switches next to a port is on the way to the goal."""
    if goal in nearest or not nearest:
        return goal
    for name in nearest:
        if topology.port_towards(name, goal) is not None:
            return name
    return nearest[0]
