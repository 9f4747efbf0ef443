"""Where an endpoint was at home, over time: its stays at ports that were no uplinks while they lasted."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Place, Stay

_ROLE_KNOWN_AFTER = timedelta(minutes=2)
"""Where a new port leads is known some time after the first addresses there."""

_SHORTEST = timedelta(seconds=1)
"""Two switches are read at two instants: what lies between those is nobody's home."""

_FIRST_PICTURE_AFTER = timedelta(minutes=10)
"""Where ports lead is known some readings after a service begins."""

Times = Sequence[tuple[datetime, datetime | None]]
"""[from, until), in order; None: it still is so."""


@dataclass(frozen=True, slots=True)
class HomeInterval:
    """At home at `place` in [since, until); `until` is None while it is."""

    place: Place
    since: datetime
    until: datetime | None


def homes_over_time(
    stays: Sequence[Stay],
    uplinks: Mapping[PortRef, Times],
    recorded_since: datetime | None = None,
    areas: Mapping[str, str] | None = None,
) -> list[HomeInterval]:
    """Earliest first. `stays`: of one endpoint; `uplinks`: when each of their ports counted as an uplink;
    `recorded_since`: from when on that is recorded, and before which it is taken to have been as it was then;
    `areas`: switches of named areas, and the area of each.
    Of several access places at an instant the one learned last is the home, as `choose_home` has it; those of
    two areas may overlap."""
    by_area: dict[str, list[Stay]] = defaultdict(list)
    for stay in stays:
        by_area[(areas or {}).get(stay.place.switch, "")].append(stay)
    found = [one for some in by_area.values() for one in _in_one_area(some, uplinks, recorded_since)]
    return sorted(found, key=lambda one: one.since)


def _in_one_area(
    stays: Sequence[Stay], uplinks: Mapping[PortRef, Times], recorded_since: datetime | None
) -> list[HomeInterval]:
    known = {port: _from_the_beginning(times, recorded_since) for port, times in uplinks.items()}
    spells = sorted(
        (spell for stay in stays for spell in _access_spells(stay, known)), key=lambda one: one.since
    )
    found: list[HomeInterval] = []
    for at, until in _between(spells):
        there = [one for one in spells if one.since <= at and (one.until is None or at < one.until)]
        if not there or (until is not None and until - at < _SHORTEST):
            continue
        place = max(there, key=lambda one: one.since).place
        last = found[-1] if found else None
        if last and last.place == place and last.until and at - last.until < _SHORTEST:
            found[-1] = HomeInterval(place, last.since, until)
        else:
            found.append(HomeInterval(place, at, until))
    return found


def _from_the_beginning(times: Times, recorded_since: datetime | None) -> Times:
    if not times or recorded_since is None or times[0][0] > recorded_since + _FIRST_PICTURE_AFTER:
        return times
    return [(datetime.min.replace(tzinfo=UTC), times[0][1]), *times[1:]]


def _between(spells: Sequence[HomeInterval]) -> Iterator[tuple[datetime, datetime | None]]:
    """From each instant at which something changes to the next."""
    instants = sorted({at for one in spells for at in (one.since, one.until) if at is not None})
    yield from zip(instants, (*instants[1:], None), strict=False)


def _access_spells(stay: Stay, uplinks: Mapping[PortRef, Times]) -> Iterator[HomeInterval]:
    """What is left of a stay without the times in which its port was an uplink."""
    since: datetime | None = stay.began_at
    for began, ended in uplinks.get((stay.place.switch, stay.place.port), ()):
        if since is None or (ended is not None and ended <= since):
            continue
        if stay.ended_at is not None and began >= stay.ended_at:
            break
        if began - since > _ROLE_KNOWN_AFTER:
            yield HomeInterval(stay.place, since, began)
        since = ended
    if since is not None and (stay.ended_at is None or since < stay.ended_at):
        yield HomeInterval(stay.place, since, stay.ended_at)
