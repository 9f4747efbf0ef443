"""The links to switches that do not answer, as the switches at their other ends report them."""

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import SwitchCondition

Links = Callable[[Sequence[PortRef]], Mapping[PortRef, Oper]]
_MOST = 200
"""Ports asked about at once."""


class LinkTowards(NamedTuple):
    port: PortRef
    """Of the switch at the other end."""
    up: bool


class LinksTowards:
    """Remembers where a switch is connected for as long as it is silent: neither it nor the other end tells
    of the cable for long once the link is down."""

    def __init__(self) -> None:
        self._ways: dict[str, set[PortRef]] = {}

    def look(
        self,
        topology: Topology,
        silent: Collection[SwitchCondition],
        links: Links,
        answering: Mapping[str, SwitchCondition],
    ) -> dict[str, LinkTowards]:
        """By switch of the `silent` ones, where another one was read since. `answering`: those that
        do, by name. Of several links, one that is up."""
        now = _ways_to(topology, {one.name for one in silent})
        self._ways = {one.name: self._ways.get(one.name, set()) | now[one.name] for one in silent}
        since = {
            one.name: [
                port for port in sorted(self._ways[one.name]) if _read_since(one, answering.get(port[0]))
            ]
            for one in silent
        }
        states = links(sorted({port for ports in since.values() for port in ports})[:_MOST])
        found: dict[str, LinkTowards] = {}
        for name, ports in since.items():
            known = [(port, states[port]) for port in ports if states.get(port) in (Oper.UP, Oper.DOWN)]
            for port, oper in sorted(known, key=lambda one: one[1] is not Oper.UP)[:1]:
                found[name] = LinkTowards(port, oper is Oper.UP)
        return found


def _ways_to(topology: Topology, switches: Collection[str]) -> dict[str, set[PortRef]]:
    found: dict[str, set[PortRef]] = defaultdict(set)
    if switches:
        for port, role in topology.roles().items():
            for other in role.adjacent:
                if other in switches:
                    found[other].add(port)
    return found


def _read_since(silent: SwitchCondition, other: SwitchCondition | None) -> bool:
    """Whether what the other one reports is of after it fell silent."""
    since = silent.outcome_since
    return other is not None and other.read_at is not None and since is not None and other.read_at > since
