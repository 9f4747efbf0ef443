"""The map: switches, the links between them, and how many open findings each has."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kiteroll.app.queries.switches import SwitchQueries, SwitchView
from kiteroll.app.topology_view import TopologyView
from kiteroll.core.findings.finding import Finding, State
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import PortRole


@dataclass(frozen=True, slots=True)
class LinkView:
    here: PortRef
    far_switch: str
    far_port: str | None
    role: PortRole
    """Of the port here: what the link rests on."""


@dataclass(frozen=True, slots=True)
class MapView:
    switches: list[tuple[SwitchView, int]]
    """By name, each with its open findings."""
    links: list[LinkView]


class NetworkMap:
    def __init__(
        self, switches: SwitchQueries, topology: TopologyView, live_findings: Callable[[], Sequence[Finding]]
    ) -> None:
        self._switches = switches
        self._topology = topology
        self._live_findings = live_findings

    def view(self) -> MapView:
        topology = self._topology.now().topology
        links = []
        for here, far in topology.links():
            far_switch, far_port = (far, None) if isinstance(far, str) else far
            links.append(LinkView(here, far_switch, far_port, topology.role(here)))
        counts = self._open_findings()
        views = sorted(self._switches.all(), key=lambda one: one.row.name)
        return MapView([(one, counts[one.row.name]) for one in views], links)

    def _open_findings(self) -> Counter[str]:
        return Counter(
            name
            for one in self._live_findings()
            if one.state is State.OPEN and not one.part_of
            for name in one.switches
        )
