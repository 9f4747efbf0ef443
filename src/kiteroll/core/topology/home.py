"""Which of the places an endpoint is seen at is the one it attaches to, and how sure that is.

An address is learned on every switch its frames cross. On all but one of them the port leads on
to another switch; the place where it does not is the endpoint's home.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.model.stay import Place
from kiteroll.core.topology.contested import NOTHING_CONTESTED, Contested
from kiteroll.core.topology.sighting import Sighting, by_area

_SIMULTANEOUS = timedelta(seconds=90)
"""Places learned within this of each other have no order: switches are read at different instants."""


class Confidence(StrEnum):
    SURE = "sure"
    LIKELY = "likely"
    DOUBTFUL = "doubtful"
    NONE = "none"
    """There is no home."""


class Because(StrEnum):
    """Why a place is the home, or why there is none."""

    SEEN_NOWHERE_ELSE = "seen nowhere else"
    OTHERS_ARE_UPLINKS = "other ports are uplinks"
    CONNECTED_TWICE = "connected twice"
    QUIET_ELSEWHERE = "quiet elsewhere"
    LEARNED_LATER = "learned later"
    FEWER_ADDRESSES = "fewer addresses"
    QUIET_HERE = "quiet here"
    LEARNED_LATELY = "learned lately"
    CAME_WITH_MANY = "came with many"
    CONTESTED = "contested"
    READ_LATE = "not read lately"
    READ_LONG_AGO = "read long ago"
    READ_ANEW = "read anew"
    BEYOND_UNKNOWN_BRIDGE = "beyond an unknown bridge"
    BEYOND_UPLINK = "beyond an uplink"
    ONLY_ON_UPLINKS = "only on uplinks"
    GONE = "gone"
    IS_SWITCH = "is a switch"
    OTHER_AREA = "other area"


@dataclass(frozen=True, slots=True)
class HomeReason:
    because: Because
    place: Place | None = None
    """The other place it is compared with, or the one it is beyond."""
    names: tuple[str, ...] = ()
    """Switches, the unknown bridge or the area it is about."""
    count: int = 0
    since: datetime | None = None


@dataclass(frozen=True, slots=True)
class Home:
    at: Sighting | None
    reasons: tuple[HomeReason, ...]
    """The weightiest first; never empty."""
    confidence: Confidence = Confidence.NONE
    elsewhere: tuple["Home", ...] = ()
    """Homes in other areas, the likeliest first: who has the address there is another device."""


def home_of_switch(name: str) -> Home:
    """Of a bridge address: it is that switch itself, and attaches nowhere."""
    return Home(None, (HomeReason(Because.IS_SWITCH, names=(name,)),))


def rank(sightings: Sequence[Sighting]) -> list[Sighting]:
    """Likeliest home first: access before uplink, present before quiet, then the later learned; of
    those learned at once the one on the port with fewer addresses."""
    latest = max((one.stay.began_at for one in sightings if one.open and not one.uplink), default=None)

    def key(one: Sighting) -> tuple[object, ...]:
        fresh = latest is None or latest - one.stay.began_at <= _SIMULTANEOUS
        return (
            one.uplink,
            not one.open,
            not one.present,
            not fresh,
            one.address_count if fresh else 0,
            -one.stay.began_at.timestamp(),
            len(one.leads_to),
            one.stay.id,
        )

    return sorted(sightings, key=key)


def choose_home(
    sightings: Sequence[Sighting], now: datetime | None = None, contested: Contested = NOTHING_CONTESTED
) -> Home:
    """The home among `sightings`, with reasons. Ties go to what was learned later. `now`: what the age of the
    readings is judged by; None leaves it out. `contested`: what findings say is here and there. Each area is
    judged by itself; of several homes the likeliest is returned, and has the others as `elsewhere`."""
    homes = [_in_one_area(some, now, contested) for some in by_area(sightings)]
    if len(homes) == 1:
        return homes[0]
    placed = {one.at.stay.id: one for one in homes if one.at is not None}
    ranked = rank([one.at for one in placed.values() if one.at is not None])
    if not ranked:
        return _without_access(rank(sightings))
    # Who is beyond an uplink may be beyond one that leads to another area: that is no second home.
    several = [placed[one.stay.id] for one in ranked if not one.uplink]
    if len(several) < 2:
        return placed[ranked[0].stay.id]
    first, *others = (_apart(one, several) for one in several)
    # Where it is quiet it may have been carried away from.
    return replace(first, elsewhere=tuple(one for one in others if one.at is not None and one.at.present))


def _apart(home: Home, homes: Sequence[Home]) -> Home:
    """With a word on the homes in other areas in place of "seen nowhere else"."""
    reasons = [one for one in home.reasons if one.because is not Because.SEEN_NOWHERE_ELSE]
    reasons += [
        HomeReason(Because.OTHER_AREA, other.at.stay.place, names=(other.at.area,))
        if other.at.present
        else HomeReason(Because.QUIET_ELSEWHERE, other.at.stay.place)
        for other in homes
        if other is not home and other.at is not None
    ]
    return replace(home, reasons=tuple(reasons))


def _in_one_area(sightings: Sequence[Sighting], now: datetime | None, contested: Contested) -> Home:
    ranked = rank(sightings)
    access = [one for one in ranked if one.open and not one.uplink]
    if not access:
        return _without_access(ranked)
    home = access[0]
    # In two VLANs of one port it is at one place, as a phone is.
    others = [one for one in access[1:] if one.port != home.port]
    access = [home, *(one for one in others if not one.same_device(home))]
    reasons = [*_against_uplinks(ranked), *(_against(home, other) for other in access[1:])]
    reasons += [
        HomeReason(Because.CONNECTED_TWICE, one.stay.place) for one in others if one.same_device(home)
    ]
    confidence = Confidence.SURE
    if not home.present:
        confidence = Confidence.LIKELY
        reasons.append(HomeReason(Because.QUIET_HERE))
    if any(one.present for one in access[1:]):
        confidence = Confidence.DOUBTFUL
    elif access[1:]:
        confidence = Confidence.LIKELY
    if home.beyond:
        confidence = Confidence.LIKELY if confidence is Confidence.SURE else confidence
        reasons.insert(0, HomeReason(Because.BEYOND_UNKNOWN_BRIDGE, names=(home.beyond,)))
    if not reasons:
        reasons.append(HomeReason(Because.SEEN_NOWHERE_ELSE))
    if now is not None and home.came_with_many:
        confidence = Confidence.DOUBTFUL
        reasons.insert(0, HomeReason(Because.CAME_WITH_MANY, home.stay.place, count=home.newcomers))
    elif now is not None and home.learned_lately and confidence is Confidence.SURE:
        confidence = Confidence.LIKELY
        reasons.append(HomeReason(Because.LEARNED_LATELY, home.stay.place, since=home.stay.began_at))
    if contested.holds(home):
        confidence = Confidence.DOUBTFUL
        reasons.insert(0, HomeReason(Because.CONTESTED))
    if now is not None and home.late(now):
        outdated = home.outdated(now)
        if outdated or confidence is Confidence.SURE:
            confidence = Confidence.DOUBTFUL if outdated else Confidence.LIKELY
        because = Because.READ_LONG_AGO if outdated else Because.READ_LATE
        reasons.insert(0, HomeReason(because, home.stay.place, since=home.read_at))
    if now is not None and (since := home.read_anew_since(now)) is not None:
        reasons.append(HomeReason(Because.READ_ANEW, home.stay.place, since=since))
    return Home(home, tuple(reasons), confidence)


def _without_access(ranked: Sequence[Sighting]) -> Home:
    seen = [one for one in ranked if one.open]
    if not seen:
        return Home(None, (HomeReason(Because.GONE),))
    seen_on = {one.stay.place.switch for one in seen}
    for one in seen:
        if one.present and one.leads_to and not seen_on.intersection(one.leads_to):
            reason = HomeReason(Because.BEYOND_UPLINK, one.stay.place, one.leads_to)
            return Home(one, (reason,), Confidence.DOUBTFUL)
    # Nothing is nearer than an uplink that leads to nothing known: one that was set so by hand, or led to a
    # switch until a moment ago.
    last = [one for one in seen if one.present and not one.leads_to]
    if len({one.port for one in last}) == 1:
        reason = HomeReason(Because.BEYOND_UPLINK, last[0].stay.place)
        return Home(last[0], (reason,), Confidence.DOUBTFUL)
    behind = tuple(sorted({name for one in seen for name in one.leads_to}))
    return Home(None, (HomeReason(Because.ONLY_ON_UPLINKS, names=behind),))


def _against_uplinks(ranked: Sequence[Sighting]) -> list[HomeReason]:
    uplinks = sum(1 for one in ranked if one.uplink and one.open)
    return [HomeReason(Because.OTHERS_ARE_UPLINKS, count=uplinks)] if uplinks else []


def _against(home: Sighting, other: Sighting) -> HomeReason:
    if home.present and not other.present:
        because = Because.QUIET_ELSEWHERE
    elif home.stay.began_at - other.stay.began_at > _SIMULTANEOUS:
        because = Because.LEARNED_LATER
    else:
        because = Because.FEWER_ADDRESSES
    return HomeReason(because, other.stay.place)
