"""The path to an endpoint, hop by hop, from any switch to its home."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from kiteroll.core.topology.home import choose_home, rank
from kiteroll.core.topology.roles import PortRole, Topology
from kiteroll.core.topology.sighting import Sighting


@dataclass(frozen=True, slots=True)
class Hop:
    """One switch on the path to an endpoint."""

    switch: str
    port: str
    """Where its frames go on to the endpoint."""
    learned: bool
    """Whether the switch has learned the address there; else the path is known by the next switches."""
    leads_to: str
    """The next switch; empty at the end of the path."""
    role: PortRole
    address_count: int | None = None
    """Addresses on the port, at the end of the path; None before it."""


def longest_path(sightings: Sequence[Sighting], start: str | None, topology: Topology) -> list[Hop]:
    """From `start`, or else from the switch furthest away, to the home; empty when no path is known. The home
    is the one in the area of `start`, or else the likeliest."""
    if start:
        sightings = [one for one in sightings if one.area == topology.area_of(start)]
    home = choose_home(sightings).at
    if home is None:
        return []
    sightings = [one for one in sightings if one.area == home.area]
    starts = [start] if start else sorted({one.stay.place.switch for one in sightings if one.open})
    paths = [path_to(home, sightings, one, topology) for one in starts]
    return max(paths, key=len, default=[])


def path_to(home: Sighting, sightings: Sequence[Sighting], start: str, topology: Topology) -> list[Hop]:
    """From switch `start` to the home, hop by hop; empty when no path is known. Where a switch has learned
    the address at an uplink, that is where its frames go; elsewhere the way is the one to the home."""
    seen: Mapping[str, Sighting] = {
        one.stay.place.switch: one for one in reversed(rank(sightings)) if one.open
    }
    by_tables = _walk(home, seen, start, topology, follow=True)
    return by_tables or _walk(home, seen, start, topology, follow=False)


def _walk(
    home: Sighting, learned: Mapping[str, Sighting], start: str, topology: Topology, *, follow: bool
) -> list[Hop]:
    """`follow`: whether to go where the address was learned; just after a move that leads nowhere."""
    goal = home.stay.place.switch
    hops: list[Hop] = []
    here, visited = start, set[str]()
    while here != goal and here not in visited:
        visited.add(here)
        known = learned.get(here)
        port = topology.port_towards(here, goal)
        if follow and known is not None and known.present and known.uplink:
            port = known.stay.place.port
        if port is None:
            return []
        role = topology.role((here, port))
        there = _next(role, goal, visited, topology)
        hops.append(Hop(here, port, known is not None and known.stay.place.port == port, there, role))
        here = there
    if here != goal:
        return []
    hops.append(Hop(goal, home.stay.place.port, True, "", topology.role(home.port), home.address_count))
    return hops


def _next(role: PortRole, goal: str, visited: Collection[str], topology: Topology) -> str:
    """Which of the switches next to a port is on the path to the goal."""
    if goal in role.adjacent or not role.adjacent:
        return goal
    ahead = [name for name in role.adjacent if name not in visited] or role.adjacent
    return next((name for name in ahead if topology.port_towards(name, goal) is not None), ahead[0])
