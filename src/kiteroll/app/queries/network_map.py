"""The map: switches, the links between them and how those are, and how many open findings each switch has."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.app.queries.as_of import past_instant
from kiteroll.app.queries.switches import SwitchQueries, SwitchView
from kiteroll.app.topology_view import TopologyView
from kiteroll.clock import Clock
from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.link_state import LinkState, link_state
from kiteroll.core.topology.neighbours import shut_ports
from kiteroll.core.topology.roles import PortRole
from kiteroll.store import ports
from kiteroll.store.database import Database
from kiteroll.store.topology import forwarding_switches


@dataclass(frozen=True, slots=True)
class LinkView:
    here: PortRef
    far_switch: str
    far_port: str | None
    role: PortRole
    """Of the port here: what the link rests on."""
    state: LinkState
    bundled: int
    """Ports bundled in it; 1 for a single cable."""


@dataclass(frozen=True, slots=True)
class MapView:
    switches: list[tuple[SwitchView, int]]
    """By name, each with its open findings."""
    links: list[LinkView]


class NetworkMap:
    def __init__(
        self,
        database: Database,
        switches: SwitchQueries,
        topology: TopologyView,
        live_findings: Callable[[], Sequence[Finding]],
        clock: Clock,
    ) -> None:
        self._database = database
        self._switches = switches
        self._topology = topology
        self._live_findings = live_findings
        self._clock = clock

    def view(self, at: datetime | None = None) -> MapView:
        """`at`: links as they were known then; switches and the state of ports are those of now."""
        at = past_instant(self._clock, at)
        topology = (self._topology.now() if at is None else self._topology.at(at)).topology
        links = topology.links()
        ends = self._database.run(
            ports.link_ends, [end for link in links for end in link if not isinstance(end, str)]
        )
        oper = {end: state.oper for end, state in ends.items()}
        blocked = shut_ports(
            ((end, state.spanning_tree) for end, state in ends.items()),
            self._database.run(forwarding_switches),
        )
        sizes = self._database.run(ports.bundle_sizes)
        found = []
        for here, far in links:
            far_switch, far_port = (far, None) if isinstance(far, str) else far
            both = [here] if far_port is None else [here, (far_switch, far_port)]
            state = link_state(both, oper, blocked)
            bundled = max(sizes.get(end, 1) for end in both)
            found.append(LinkView(here, far_switch, far_port, topology.role(here), state, bundled))
        counts = self._open_findings()
        views = sorted(self._switches.all(), key=lambda one: one.row.name)
        return MapView([(one, counts[one.row.name]) for one in views], found)

    def _open_findings(self) -> Counter[str]:
        return Counter(name for one in self._live_findings() if one.stands_open for name in one.switches)
