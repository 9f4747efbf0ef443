"""Which ports lead to other switches, to which, and how that is known.

Evidence in order of weight: the operator's word; a neighbour that is a known switch (LLDP); a known
switch's own address learned on the port; addresses there that another switch holds apart. A count
alone is none: a phone with a computer behind it, or a small unmanaged switch, is no uplink.

Two facts about trees carry the rest. A switch M is between A and N exactly when M sees the two on
different ports. And if two addresses are on one port of B but on different ports of A, then A is
behind that port: everything on B's other side would be on one port of A.
"""

from collections import Counter, defaultdict, deque
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

At = tuple[str, str]
"""(switch, port name)."""
_APART = 2
"""Addresses another switch must hold apart from the rest: one alone may have moved just now."""


class Role(StrEnum):
    ACCESS = "access"
    UPLINK = "uplink"


class Ground(StrEnum):
    """What a role rests on, weightiest first."""

    BY_HAND = "set by hand"
    NEIGHBOUR = "neighbour"
    SWITCH_ADDRESS = "address of a switch"
    HELD_APART = "addresses held apart"
    NONE = "nothing else known"


@dataclass(frozen=True, slots=True)
class PortRole:
    role: Role
    ground: Ground
    why: str
    """A sentence."""
    leads_to: tuple[str, ...] = ()
    """Known switches behind the port, those next to it first."""
    nearest: tuple[str, ...] = ()
    """Of those, the ones nothing known is between. Several: something that is not read joins them."""
    beyond: str = ""
    """A bridge that is not in the inventory and told of itself here."""


@dataclass(frozen=True, slots=True)
class Told:
    """A neighbour at a port (LLDP)."""

    at: At
    known_as: str | None
    """The switch of the inventory it is."""
    name: str
    bridge: bool


@dataclass(frozen=True, slots=True)
class Table:
    """What one switch holds: address key to port number, and the ports' names."""

    learned: Mapping[int, int]
    names: Mapping[int, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    switches: frozenset[str]
    aggregates: Mapping[At, str] = field(default_factory=dict)
    """Ports that are bundled, and the name of their bundle: addresses are learned on that."""
    blocked: frozenset[At] = frozenset()
    """Ports that spanning tree keeps shut."""
    told: Sequence[Told] = ()
    seen: Mapping[At, frozenset[str]] = field(default_factory=dict)
    """Known switches whose own address is learned at a port."""
    by_hand: Mapping[At, Role] = field(default_factory=dict)
    tables: Mapping[str, Table] = field(default_factory=dict)
    """For what neither neighbours nor switch addresses tell; may be empty."""


class Topology:
    """Roles of ports. Ports it knows nothing of are access ports for want of evidence."""

    def __init__(self, roles: Mapping[At, PortRole]) -> None:
        self._roles = roles
        self._way: dict[str, dict[str, str]] = defaultdict(dict)
        for (switch, port), role in roles.items():
            for other in role.leads_to:
                # The nearest claim wins, should a switch be told behind two ports.
                if other in role.nearest or other not in self._way[switch]:
                    self._way[switch][other] = port

    def role(self, at: At) -> PortRole:
        return self._roles.get(at, _UNKNOWN)

    def roles(self) -> Mapping[At, PortRole]:
        return self._roles

    def leads_to(self, at: At) -> tuple[str, ...]:
        return self.role(at).leads_to

    def port_towards(self, switch: str, other: str) -> str | None:
        return self._way.get(switch, {}).get(other)

    def links(self) -> list[tuple[At, At | str]]:
        """Each cable once: two places, or a place and a switch whose own port is not known."""
        found: dict[tuple[str, str], tuple[At, At | str]] = {}
        for (switch, port), role in sorted(self._roles.items()):
            for other in role.nearest:
                names = (min(switch, other), max(switch, other))
                far = self.port_towards(other, switch)
                found.setdefault(names, ((switch, port), (other, far) if far else other))
        return list(found.values())


_UNKNOWN = PortRole(Role.ACCESS, Ground.NONE, "no known switch is told or learned there")


def infer(facts: Facts) -> Topology:
    """Roles of all ports that any evidence speaks of."""
    behind: dict[At, set[str]] = defaultdict(set)
    grounds: dict[At, tuple[Ground, str]] = {}
    for at, others in _by_neighbours(facts):
        behind[at] |= others
        grounds.setdefault(at, (Ground.NEIGHBOUR, f"{', '.join(sorted(others))} told of itself there (LLDP)"))
    reach = _reach(facts, behind)
    for at, others in reach.items():
        behind[at] |= others
    for at, seen in facts.seen.items():
        others = {name for name in seen if name in facts.switches and name != at[0]}
        if others:
            behind[at] |= others
            told = f"{_some(sorted(others))} has its own address learned there"
            grounds.setdefault(at, (Ground.SWITCH_ADDRESS, told))
    for at, others in held_apart(facts.tables, frozenset(behind)).items():
        behind[at] |= others
        told = f"addresses there are on different ports of {_some(sorted(others))}"
        grounds[at] = (Ground.HELD_APART, told)
    sees = _sees(behind)
    roles = {at: _role(at, others, sees, grounds[at]) for at, others in behind.items() if at in grounds}
    for at, hidden in _hidden(facts).items():
        if at not in roles:
            told = f"{hidden} told of itself there (LLDP), a bridge that is not in the inventory"
            roles[at] = PortRole(Role.ACCESS, Ground.NEIGHBOUR, told, beyond=hidden)
    for at, role in facts.by_hand.items():
        known = roles.get(at, _UNKNOWN)
        keep = role is Role.UPLINK
        roles[at] = PortRole(
            role,
            Ground.BY_HAND,
            f"said to be an {'uplink' if keep else 'access port'} by hand",
            known.leads_to if keep else (),
            known.nearest if keep else (),
            known.beyond,
        )
    return Topology(roles)


def crowds(tables: Mapping[str, Table]) -> dict[At, int]:
    """Addresses present on each port that has any."""
    return {at: count for at, _, count in _counted(tables)}


def _counted(tables: Mapping[str, Table]) -> Iterator[tuple[At, int, int]]:
    """Each port that has any address, its number, and how many it has."""
    for switch, table in tables.items():
        for number, count in Counter(table.learned.values()).items():
            if number in table.names:
                yield (switch, table.names[number]), number, count


def held_apart(tables: Mapping[str, Table], decided: frozenset[At]) -> dict[At, set[str]]:
    """Ports that are not `decided` and the switches shown to be behind them by their tables."""
    crowded: dict[str, dict[int, At]] = defaultdict(dict)
    for at, number, count in _counted(tables):
        if count > _APART and at not in decided:
            crowded[at[0]][number] = at
    holders = _held_twice(tables, crowded)
    counts: dict[tuple[At, str], Counter[int]] = defaultdict(Counter)
    for switch, numbers in crowded.items():
        learned = tables[switch].learned
        for key in learned.keys() & holders.keys():
            if (at_number := learned[key]) in numbers:
                for other, there in holders[key]:
                    if other != switch:
                        counts[numbers[at_number], other][there] += 1
    found: dict[At, set[str]] = defaultdict(set)
    for (at, other), ports in counts.items():
        if ports.total() - max(ports.values()) >= _APART:
            found[at].add(other)
    return found


def _held_twice(
    tables: Mapping[str, Table], crowded: Mapping[str, Mapping[int, At]]
) -> dict[int, list[tuple[str, int]]]:
    """Where the addresses of crowded ports are, of those that several switches hold. Whole tables go
    through here, so what can be is done by set operations."""
    suspects: set[int] = set()
    for switch, numbers in crowded.items():
        suspects.update(key for key, number in tables[switch].learned.items() if number in numbers)
    once: set[int] = set()
    twice: set[int] = set()
    for table in tables.values():
        here = table.learned.keys() & suspects
        twice |= once & here
        once |= here
    holders: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for switch, table in tables.items():
        for key in table.learned.keys() & twice:
            holders[key].append((switch, table.learned[key]))
    return holders


def _by_neighbours(facts: Facts) -> Iterator[tuple[At, set[str]]]:
    """Ports at which a known switch told of itself; on a bundle, also the bundle."""
    found: dict[At, set[str]] = defaultdict(set)
    for one in facts.told:
        if one.known_as is None or one.known_as == one.at[0] or one.known_as not in facts.switches:
            continue
        found[one.at].add(one.known_as)
        if bundle := facts.aggregates.get(one.at):
            found[one.at[0], bundle].add(one.known_as)
    yield from found.items()


def _reach(facts: Facts, next_to: Mapping[At, set[str]]) -> dict[At, set[str]]:
    """What neighbours lead on to: from each switch the shortest way over cables that are open."""
    cables: dict[str, list[tuple[At, str]]] = defaultdict(list)
    for at, others in next_to.items():
        if at not in facts.blocked and at not in facts.aggregates:
            cables[at[0]] += [(at, other) for other in sorted(others)]
    found: dict[At, set[str]] = defaultdict(set)
    for start in cables:
        known = {start}
        queue: deque[tuple[str, At | None]] = deque([(start, None)])
        while queue:
            here, first = queue.popleft()
            for at, other in cables.get(here, ()):
                if other not in known:
                    known.add(other)
                    way = first or at
                    found[way].add(other)
                    queue.append((other, way))
    return found


def _sees(behind: Mapping[At, Iterable[str]]) -> dict[str, dict[str, str]]:
    """For each switch, at which of its ports every other is."""
    sees: dict[str, dict[str, str]] = defaultdict(dict)
    for (switch, port), others in behind.items():
        for other in others:
            sees[switch].setdefault(other, port)
    return sees


def _role(
    at: At, others: set[str], sees: Mapping[str, Mapping[str, str]], ground: tuple[Ground, str]
) -> PortRole:
    switch = at[0]

    def between(middle: str, far: str) -> bool:
        here, there = sees.get(middle, {}).get(switch), sees.get(middle, {}).get(far)
        return here is not None and there is not None and here != there

    names = sorted(others)
    nearest = tuple(
        name for name in names if not any(between(middle, name) for middle in names if middle != name)
    )
    leads_to = (*nearest, *(name for name in names if name not in nearest))
    return PortRole(Role.UPLINK, ground[0], ground[1], leads_to, nearest)


def _hidden(facts: Facts) -> dict[At, str]:
    found: dict[At, str] = {}
    for one in facts.told:
        if one.known_as is None and one.bridge:
            found[one.at] = one.name
            if bundle := facts.aggregates.get(one.at):
                found[one.at[0], bundle] = one.name
    return found


def _some(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"
