"""Works out which ports lead to other switches, to which, and how that is known.

Evidence in order of weight: what the operator set; a neighbour that is a known switch (LLDP); a known
switch's own address learned on the port; addresses there that another switch has on different ports.
A count alone is none: a phone with a computer behind it, or a small unmanaged switch, is no uplink.

A switch M is between A and N exactly when M sees the two on different ports.
"""

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.reach import reach
from kiteroll.core.topology.roles import UNKNOWN_ROLE, PortRole, Role, RoleEvidence, Topology
from kiteroll.core.topology.separation import separated_switches

_NOTHING: Mapping[str, str] = {}
_FAR_WORD_HOLDS = timedelta(minutes=15)
"""By how much the reading that shows a cable may be older than that of the switch at its far end."""
Reason = tuple[RoleEvidence, tuple[str, ...]]
"""What a role rests on, and the names it is about."""


@dataclass(frozen=True, slots=True)
class NeighbourClaim:
    """A neighbour that announces itself at a port (LLDP)."""

    port: PortRef
    known_as: str | None
    """The switch of the inventory it is."""
    name: str
    bridge: bool
    far_port: str = ""
    """The port it says it announces itself from."""
    far_description: str = ""
    chassis: str = ""
    """Its chassis id."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TopologyFacts:
    switches: frozenset[str]
    aggregates: Mapping[PortRef, str] = field(default_factory=dict)
    """Bundled ports, and the name of their bundle: addresses are learned on that (802.1AX)."""
    partners: Mapping[PortRef, str] = field(default_factory=dict)
    """Bundled ports, and the system at the far end with the key of its bundle (802.1AX)."""
    pairs: Mapping[str, str] = field(default_factory=dict)
    """Switches that share their tables, and the name of the pair each is of."""
    areas: Mapping[str, str] = field(default_factory=dict)
    """Switches of named areas, and the area of each (`kiteroll.core.topology.areas`)."""
    claimed: frozenset[PortRef] = frozenset()
    """Ports that stay under their rules though they look like uplinks: none until that is confirmed."""
    blocked: frozenset[PortRef] = frozenset()
    """Ports that spanning tree keeps shut."""
    claims: Sequence[NeighbourClaim] = ()
    seen: Mapping[PortRef, frozenset[str]] = field(default_factory=dict)
    """Known switches whose own address is learned at a port."""
    by_operator: Mapping[PortRef, Role] = field(default_factory=dict)
    tables: Mapping[str, MacTable] = field(default_factory=dict)
    """For what neither neighbours nor bridge addresses show; may be empty."""
    shared: frozenset[str] = frozenset()
    """Prefixes of addresses that several devices have by design, as hex digits."""


def infer(facts: TopologyFacts) -> Topology:
    """Roles of all ports that any evidence is about."""
    behind: dict[PortRef, set[str]] = defaultdict(set)
    reasons: dict[PortRef, Reason] = {}
    direct = dict(_by_neighbours(facts))
    closed = _closed(facts)
    for port, others in direct.items():
        behind[port] |= others
        reasons[port] = (RoleEvidence.NEIGHBOUR, tuple(sorted(others)))
    for port, others in _reach(facts, direct, closed).items():
        behind[port] |= others
    by_neighbours = {port: len(others) for port, others in behind.items()}
    for port, seen in facts.seen.items():
        others = {name for name in seen if name in facts.switches and name != port[0]}
        if others:
            behind[port] |= others
            reasons.setdefault(port, (RoleEvidence.SWITCH_ADDRESS, tuple(sorted(others))))
    for port, others in separated_switches(facts.tables, frozenset(behind), facts.shared).items():
        behind[port] |= others
        reasons[port] = (RoleEvidence.SEPARATED, tuple(sorted(others)))
    _lead_on(behind, by_neighbours, len(facts.switches))
    sees = _sees(behind)
    confirmed = confirmed_ports(facts.claims)
    roles: dict[PortRef, PortRole] = {}
    for port, others in behind.items():
        if port not in reasons:
            continue
        names = sorted(others)
        if by_neighbours.get(port) == len(names) or _all_beyond(port, direct.get(port, ()), behind, sees):
            adjacent = sorted(direct[port])  # nothing shows others in between
        else:
            adjacent = _nearest(port[0], names, sees)
        first = frozenset(adjacent)
        leads_to = (*adjacent, *(name for name in names if name not in first))
        roles[port] = PortRole(
            Role.UPLINK,
            *reasons[port],
            leads_to,
            tuple(adjacent),
            confirmed=port in confirmed,
            closed=port in closed,
        )
    for port, hidden in _hidden(facts).items():
        if port not in roles:
            roles[port] = PortRole(Role.ACCESS, RoleEvidence.NEIGHBOUR, (hidden,), beyond=hidden)
    for port in facts.claimed & roles.keys():
        if roles[port].is_uplink and not roles[port].confirmed:
            roles[port] = PortRole(Role.ACCESS, *reasons[port], claimed=True)
    for port, role in facts.by_operator.items():
        known = roles.get(port, UNKNOWN_ROLE)
        uplink = role is Role.UPLINK
        roles[port] = PortRole(
            role,
            RoleEvidence.OPERATOR,
            (),
            known.leads_to if uplink else (),
            known.adjacent if uplink else (),
            beyond=known.beyond,
        )
    return Topology(roles, _devices(facts), facts.pairs)


def _devices(facts: TopologyFacts) -> dict[PortRef, str]:
    """The one device that announces itself at a port and is no switch, by its chassis (IEEE 802.1AB 8.5.2);
    else the one at the far end of a bundle (802.1AX). One that is at several ports is connected to each."""
    found: dict[PortRef, set[str]] = defaultdict(set)
    for claim in facts.claims:
        if claim.known_as is None and not claim.bridge and claim.chassis:
            for place in _with_bundle(claim.port, facts):
                found[place].add(claim.chassis)
    devices = {port: next(iter(chassis)) for port, chassis in found.items() if len(chassis) == 1}
    for port, partner in sorted(facts.partners.items()):
        devices |= {place: partner for place in _with_bundle(port, facts) if place not in found}
    return devices


def _with_bundle(port: PortRef, facts: TopologyFacts) -> tuple[PortRef, ...]:
    """The port, and the bundle it is a member of: what is known of the one holds for the other."""
    bundle = facts.aggregates.get(port)
    return (port, (port[0], bundle)) if bundle else (port,)


def confirmed_ports(claims: Sequence[NeighbourClaim]) -> frozenset[PortRef]:
    """Ports at which a known switch announces itself that hears us at the port it names (LLDP both ways over
    one cable): who forges its frames cannot make it hear him there."""
    by_switch: dict[str, list[NeighbourClaim]] = defaultdict(list)
    for claim in claims:
        by_switch[claim.port[0]].append(claim)
    return frozenset(
        one.port
        for one in claims
        if one.known_as is not None
        and any(
            back.known_as == one.port[0] and _names(one, back.port) and _names(back, one.port)
            for back in by_switch[one.known_as]
        )
    )


def _names(claim: NeighbourClaim, port: PortRef) -> bool:
    return bool(port[1]) and port[1] in (claim.far_port, claim.far_description)


def _by_neighbours(facts: TopologyFacts) -> Iterator[tuple[PortRef, set[str]]]:
    """Ports at which a known switch announces itself, and the far ends that hear nobody; on a member of a
    bundle, also the bundle."""
    found: dict[PortRef, set[str]] = defaultdict(set)
    announced = {claim.port for claim in facts.claims}
    for claim in facts.claims:
        if claim.known_as is None or claim.known_as == claim.port[0] or claim.known_as not in facts.switches:
            continue
        ends = [(claim.port, claim.known_as)]
        if (far := _far_end(claim, facts.tables)) is not None and far not in announced:
            ends.append((far, claim.port[0]))
        for port, other in ends:
            for place in _with_bundle(port, facts):
                found[place].add(other)
    yield from found.items()


def _far_end(claim: NeighbourClaim, tables: Mapping[str, MacTable]) -> PortRef | None:
    """The port a known switch announces itself from: one cable has two ends, so who is heard at the one is
    at the other as well, though its agent says nothing of neighbours for a while. None where addresses were
    never learned there, or the evidence for it is much older than the far end's table: it may have been
    re-plugged since."""
    here, there = tables.get(claim.port[0]), tables.get(claim.known_as or "")
    if here is None or there is None or here.read_at is None or there.read_at is None:
        return None
    if there.read_at - here.read_at > _FAR_WORD_HOLDS:
        return None
    name = next((one for one in there.names.values() if one and _names(claim, (claim.port[0], one))), None)
    return None if name is None or claim.known_as is None else (claim.known_as, name)


def _closed(facts: TopologyFacts) -> frozenset[PortRef]:
    """Both ends of each cable that spanning tree keeps shut at one of them: only the alternate end discards
    (IEEE 802.1Q clause 13)."""
    far_ends = (
        claim.port
        for claim in facts.claims
        if claim.known_as is not None
        and not facts.blocked.isdisjoint(
            ((claim.known_as, claim.far_port), (claim.known_as, claim.far_description))
        )
    )
    return facts.blocked.union(far_ends)


def _reach(
    facts: TopologyFacts, adjacent: Mapping[PortRef, set[str]], closed: frozenset[PortRef]
) -> dict[PortRef, set[str]]:
    """What neighbours lead on to, over cables that are open."""
    ends: dict[str, list[tuple[PortRef, list[str]]]] = defaultdict(list)
    for port, others in sorted(adjacent.items()):
        if port not in closed and port not in facts.aggregates:
            ends[port[0]].append((port, sorted(others)))
    return reach(ends)


def _lead_on(behind: Mapping[PortRef, set[str]], by_neighbours: Mapping[PortRef, int], switches: int) -> None:
    """Where part of the network is known by its neighbours and part by its tables: what the one kind of port
    leads on to is behind the other as well, unless that way leads back."""
    by_tables = [port for port in behind if port not in by_neighbours]
    if not by_tables or not by_neighbours:
        return
    ways: dict[str, list[PortRef]] = defaultdict(list)
    for port in by_tables:
        ways[port[0]].append(port)
    others: dict[str, list[PortRef]] = defaultdict(list)
    for port in by_neighbours:
        others[port[0]].append(port)
    for ports, onward in ((list(by_neighbours), ways), (by_tables, others)):
        known: Counter[str] = Counter()
        for port, reached in behind.items():
            known[port[0]] += len(reached)
        for port in ports:
            if known[port[0]] >= switches - 1:
                continue  # every other switch is behind one of its ports
            reached = behind[port]
            for switch in sorted(reached):
                for way in onward.get(switch, ()):
                    if port[0] not in behind[way] and switch != port[0]:
                        reached |= behind[way] - {port[0]}


def _sees(behind: Mapping[PortRef, Iterable[str]]) -> dict[str, dict[str, str]]:
    """For each switch, at which of its ports every other is."""
    sees: dict[str, dict[str, str]] = defaultdict(dict)
    for (switch, port), others in behind.items():
        for other in others:
            sees[switch].setdefault(other, port)
    return sees


def _all_beyond(
    port: PortRef,
    neighbours: Collection[str],
    behind: Mapping[PortRef, set[str]],
    sees: Mapping[str, Mapping[str, str]],
) -> bool:
    """Whether all that is behind the port is behind its neighbours: they see it at other ports than this
    switch."""
    rest = behind[port].difference(neighbours)
    for neighbour in neighbours:
        if (here := sees[neighbour].get(port[0])) is not None:
            rest -= sees[neighbour].keys() - behind[neighbour, here]
    return bool(neighbours) and not rest


def _nearest(switch: str, names: Sequence[str], sees: Mapping[str, Mapping[str, str]]) -> list[str]:
    """Those of the switches behind a port that no other of them is in front of. A hot loop where nothing but
    tables is known."""
    # What each sees, and at which port this switch; one that does not see it is in front of nobody.
    rows = {name: (row, row.get(switch)) for name in names if switch in (row := sees.get(name, _NOTHING))}

    def in_front(middle: str, far: str) -> bool:
        row, here = rows.get(middle, (_NOTHING, None))
        return row.get(far, here) != here

    nearest: list[str] = []
    for name in names:
        # In a tree one of those that are nearest so far is in front, or none is: few are compared.
        if not any(in_front(middle, name) for middle in nearest):
            nearest = [one for one in nearest if not in_front(name, one)]
            nearest.append(name)
    return [
        name
        for name in nearest
        if not any(row.get(name, here) != here for middle, (row, here) in rows.items() if middle != name)
    ]


def _hidden(facts: TopologyFacts) -> dict[PortRef, str]:
    """Ports at which a bridge announces itself that is not in the inventory."""
    found: dict[PortRef, str] = {}
    for claim in facts.claims:
        if claim.known_as is None and claim.bridge:
            found |= dict.fromkeys(_with_bundle(claim.port, facts), claim.name)
    return found
