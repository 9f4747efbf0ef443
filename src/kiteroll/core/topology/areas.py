"""Areas: sites that share layer 2. How switches are connected is worked out in each by itself.

Two networks that no frame crosses may use the same address for two devices: a filtering database is that of
one bridged network (IEEE 802.1Q 8.8).
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TypeVar

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.inference import TopologyFacts, confirmed_ports, infer
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence, Topology

T = TypeVar("T")


def infer_areas(facts: TopologyFacts) -> Topology:
    """Roles of all ports that any evidence is about. A cable to a switch of another area (a routed link, as a
    rule) is an uplink, and nothing is behind it but that switch."""
    areas = {facts.areas.get(name, "") for name in facts.switches}
    if len(areas) < 2:
        return infer(facts)
    roles = _between(facts)
    devices: dict[PortRef, str] = {}
    for area in sorted(areas):
        inside = infer(_inside(facts, area))
        roles |= inside.roles()
        devices |= inside.devices()
    return Topology(roles, devices, facts.pairs, facts.areas)


def _inside(facts: TopologyFacts, area: str) -> TopologyFacts:
    def here(switch: str) -> bool:
        return facts.areas.get(switch, "") == area

    def at_ports(values: Mapping[PortRef, T]) -> dict[PortRef, T]:
        return {port: value for port, value in values.items() if here(port[0])}

    def ports(several: Iterable[PortRef]) -> frozenset[PortRef]:
        return frozenset(port for port in several if here(port[0]))

    return replace(
        facts,
        switches=frozenset(filter(here, facts.switches)),
        aggregates=at_ports(facts.aggregates),
        partners=at_ports(facts.partners),
        claimed=ports(facts.claimed),
        blocked=ports(facts.blocked),
        claims=tuple(one for one in facts.claims if here(one.port[0])),
        seen=at_ports(facts.seen),
        by_operator=at_ports(facts.by_operator),
        tables={name: table for name, table in facts.tables.items() if here(name)},
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
