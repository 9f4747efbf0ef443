"""The path to an endpoint, hop by hop, from any switch to its home."""

from collections.abc import Mapping, Sequence
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
    """From `start`, or else from the switch furthest away, to the home; empty when no path is known."""
    home = choose_home(sightings).at
    if home is None:
        return []
    starts = [start] if start else sorted({one.stay.place.switch for one in sightings if one.open})
    paths = [path_to(home, sightings, one, topology) for one in starts]
    return max(paths, key=len, default=[])


def path_to(home: Sighting, sightings: Sequence[Sighting], start: str, topology: Topology) -> list[Hop]:
    """From switch `start` to the home, hop by hop; empty when no path is known."""
    seen: Mapping[str, Sighting] = {
        one.stay.place.switch: one for one in reversed(rank(sightings)) if one.open
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
        there = _next(role.adjacent, goal, topology)
        known = seen.get(here)
        hops.append(Hop(here, port, known is not None and known.stay.place.port == port, there, role))
        here = there
    if here != goal:
        return []
    hops.append(Hop(goal, home.stay.place.port, True, "", topology.role(home.port), home.address_count))
    return hops


def _next(adjacent: Sequence[str], goal: str, topology: Topology) -> str:
    """Which of the switches next to a port is on the path to the goal."""
    if goal in adjacent or not adjacent:
        return goal
    for name in adjacent:
        if topology.port_towards(name, goal) is not None:
            return name
    return adjacent[0]
