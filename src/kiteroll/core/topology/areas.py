"""Areas: sites that share layer 2. How switches are connected is worked out in each by itself.

Two networks that no frame crosses may use the same address for two devices: a filtering database is that of
one bridged network (IEEE 802.1Q 8.8).
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import TypeVar

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.inference import TopologyFacts, confirmed_ports, infer
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence, Topology

T = TypeVar("T")


def infer_areas(facts: TopologyFacts) -> Topology:
    """Roles of all ports that any evidence is about. A cable to a switch of another area (a routed link, as a
    rule) is an uplink, and nothing is behind it but that switch."""
    if not facts.areas:
        return infer(facts)
    roles = _between(facts)
    devices: dict[PortRef, str] = {}
    for part in _each_area(facts):
        inside = infer(part)
        roles |= inside.roles()
        devices |= inside.devices()
    return Topology(roles, devices, facts.pairs, facts.areas)


def _each_area(facts: TopologyFacts) -> Iterator[TopologyFacts]:
    """The facts of each area, in one pass over all of them: there may be as many areas as sites."""

    def area(switch: str) -> str:
        return facts.areas.get(switch, "")

    def at_ports(values: Mapping[PortRef, T]) -> dict[str, dict[PortRef, T]]:
        found: dict[str, dict[PortRef, T]] = defaultdict(dict)
        for port, value in values.items():
            found[area(port[0])][port] = value
        return found

    def parted(values: Iterable[T], switch: Callable[[T], str]) -> dict[str, list[T]]:
        found: dict[str, list[T]] = defaultdict(list)
        for value in values:
            found[area(switch(value))].append(value)
        return found

    def of_port(port: PortRef) -> str:
        return port[0]

    switches = parted(facts.switches, str)
    claims = parted(facts.claims, lambda one: one.port[0])
    claimed, blocked = parted(facts.claimed, of_port), parted(facts.blocked, of_port)
    aggregates, partners = at_ports(facts.aggregates), at_ports(facts.partners)
    seen, by_operator = at_ports(facts.seen), at_ports(facts.by_operator)
    for name in sorted(switches):
        yield TopologyFacts(
            switches=frozenset(switches[name]),
            aggregates=aggregates[name],
            partners=partners[name],
            pairs=facts.pairs,
            areas=facts.areas,
            claimed=frozenset(claimed[name]),
            blocked=frozenset(blocked[name]),
            claims=tuple(claims[name]),
            seen=seen[name],
            by_operator=by_operator[name],
            tables={one: facts.tables[one] for one in switches[name] if one in facts.tables},
            shared=facts.shared,
        )


def _between(facts: TopologyFacts) -> dict[PortRef, PortRole]:
    """Ports at which a switch of another area announces itself."""
    confirmed = confirmed_ports(facts.claims)
    found: dict[PortRef, PortRole] = {}
    for one in facts.claims:
        if one.known_as not in facts.switches:
            continue
        if facts.areas.get(one.known_as, "") != facts.areas.get(one.port[0], ""):
            far = (one.known_as,)
            found[one.port] = PortRole(
                Role.UPLINK, RoleEvidence.NEIGHBOUR, far, far, far, confirmed=one.port in confirmed
            )
    return found
