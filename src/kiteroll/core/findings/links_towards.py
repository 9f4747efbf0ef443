"""The links to switches that do not answer, as the switches at their other ends report them."""

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import SwitchCondition

Link = tuple[Oper, datetime | None]
"""How a link is, and since when it is seen so."""
Links = Callable[[Sequence[PortRef]], Mapping[PortRef, Link]]
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
        do, by name. Of several links, one that is up. A link that came up meanwhile may lead to another
        device by now, and tells nothing."""
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
        for one in silent:
            for port in since[one.name]:
                up = _is_up(one, states.get(port))
                if up or (up is False and one.name not in found):
                    found[one.name] = LinkTowards(port, up)
        return found


def _is_up(silent: SwitchCondition, link: Link | None) -> bool | None:
    """None where that tells nothing."""
    oper, seen_since = link or (Oper.UNKNOWN, None)
    if oper is Oper.DOWN:
        return False
    came_up_since = seen_since and silent.outcome_since and seen_since > silent.outcome_since
    return None if oper is not Oper.UP or came_up_since else True


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
