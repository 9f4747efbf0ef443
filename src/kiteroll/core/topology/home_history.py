"""Where an endpoint was at home, over time: its stays at ports that were no uplinks while they lasted."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.past_roles import PastRoles

_SHORTEST = timedelta(seconds=1)
"""Two switches are read at two instants: what lies between those is nobody's home."""


@dataclass(frozen=True, slots=True)
class HomeInterval:
    """At home at `place` in [since, until); `until` is None while it is."""

    place: Place
    since: datetime
    until: datetime | None


def homes_over_time(
    stays: Sequence[Stay], roles: PastRoles, areas: Mapping[str, str] | None = None
) -> list[HomeInterval]:
    """Earliest first. `stays`: of one endpoint; `areas`: switches of named areas, and the area of each.
    Of several access places at an instant the one learned last is the home, as `choose_home` has it; those of
    two areas may overlap."""
    by_area: dict[str, list[Stay]] = defaultdict(list)
    for stay in stays:
        by_area[(areas or {}).get(stay.place.switch, "")].append(stay)
    found = [one for some in by_area.values() for one in _in_one_area(some, roles)]
    return sorted(found, key=lambda one: one.since)


def _in_one_area(stays: Sequence[Stay], roles: PastRoles) -> list[HomeInterval]:
    spells = sorted(
        (
            HomeInterval(stay.place, since, until)
            for stay in stays
            for since, until in roles.access_times(
                (stay.place.switch, stay.place.port), stay.began_at, stay.ended_at
            )
        ),
        key=lambda one: one.since,
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


def _between(spells: Sequence[HomeInterval]) -> Iterator[tuple[datetime, datetime | None]]:
    """From each instant at which something changes to the next."""
    instants = sorted({at for one in spells for at in (one.since, one.until) if at is not None})
    yield from zip(instants, (*instants[1:], None), strict=False)
