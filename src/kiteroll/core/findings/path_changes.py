"""Addresses that are reached over other uplinks than before, gathered over all switches of a network."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.core.findings.bursts import Step
from kiteroll.core.findings.evidence import Evidence, LinkChanged, PathsChanged, TopologyChanged
from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import topology_change
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.connected import LatelyConnected
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting

_SAMPLE = 20
"""Addresses that are asked about: whether they stayed at home."""
_AT_HOME = 0.8
"""Of those whose home is known, this share must have stayed there."""
_READ_WITHIN = 1.5
"""Intervals."""
_LEAD = timedelta(minutes=2)
"""A link changes before addresses show another path."""


@dataclass(slots=True)
class _Network:
    """What was seen of one change, on all switches that are known to be connected."""

    switch: str
    between: tuple[str, str]
    first_at: datetime
    last_at: datetime
    macs: set[MacAddress] = field(default_factory=set)
    ports: set[PortRef] = field(default_factory=set)
    links: dict[PortRef, datetime] = field(default_factory=dict)


class PathChanges:
    def __init__(self, thresholds: Thresholds) -> None:
        self._thresholds = thresholds
        self._networks: list[_Network] = []
        self._connected = LatelyConnected()
        self._judged: dict[str, datetime] = {}
        """By switch: the last step that was looked at."""

    def observe(self, topology: Topology, now: datetime) -> None:
        """To be called with each topology: what was connected before it changed counts as one network."""
        self._connected.note(topology, now)

    def note(
        self,
        facts: FactSource,
        topology: Topology,
        switch: str,
        steps: Iterable[Step],
        at: datetime,
        *,
        tree_changed: bool,
    ) -> Detection | None:
        """`steps`: of the last minutes on this switch, without shared addresses; `tree_changed`: its count of
        spanning-tree changes rose."""
        judged, since = self._judged.get(switch), at - self._thresholds.burst_window
        jumps = [
            step
            for step in steps
            if step.at > (since if judged is None else max(since, judged))
            and _was_uplink(topology, (switch, _origin(step)), step.at)
            and _origin(step) != step.to
            and _was_uplink(topology, (switch, step.to), step.at)
        ]
        macs = {step.mac for step in jumps}
        if len(macs) < self._thresholds.path_addresses:
            return None
        if not self._at_home(facts, sorted(macs), jumps[0].at):
            return None
        self._judged[switch] = jumps[-1].at
        return self._gather(facts, switch, jumps, tree_changed=tree_changed)

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for name in self._judged.keys() - set(switches):
            del self._judged[name]

    def _at_home(self, facts: FactSource, macs: Sequence[MacAddress], jumped_at: datetime) -> bool:
        """Whether they are where they were: who roams changes uplinks as well."""
        seen = facts.sightings(macs[:: max(1, len(macs) // _SAMPLE)][:_SAMPLE], jumped_at)
        homes = [access for one in seen.values() if (access := _access(one))]
        stayed = sum(all(self._stayed(one, jumped_at) for one in access) for access in homes)
        return bool(homes) and stayed >= _AT_HOME * len(homes)

    def _stayed(self, one: Sighting, jumped_at: datetime) -> bool:
        """Whether it was there before the jump, however late that was read."""
        late = self._thresholds.burst_window if one.interval is None else _READ_WITHIN * one.interval
        return one.present and one.stay.began_at < jumped_at - late

    def _gather(
        self,
        facts: FactSource,
        switch: str,
        jumps: Sequence[Step],
        *,
        tree_changed: bool,
    ) -> Detection:
        pairs: dict[tuple[str, str], set[MacAddress]] = defaultdict(set)
        for step in jumps:
            pairs[_origin(step), step.to].add(step.mac)
        between = max(sorted(pairs), key=lambda pair: len(pairs[pair]))
        network = self._network(switch, between, jumps[0].at)
        network.last_at = max(network.last_at, jumps[-1].at)
        ports = {(switch, port) for pair in pairs for port in pair}
        for port, known in facts.port_facts(sorted(ports)).items():
            if known.changed_at is not None and known.changed_since(network.first_at - _LEAD):
                network.links[port] = known.changed_at
        network.ports |= ports
        network.macs.update(*pairs.values())
        evidence: list[Evidence] = [
            PathsChanged(jumps[-1].at, switch, *pair, len(macs)) for pair, macs in sorted(pairs.items())
        ]
        if tree_changed:
            evidence.append(TopologyChanged(jumps[-1].at))
        evidence += [LinkChanged(at, port) for port, at in network.links.items()]
        return topology_change.detect(
            network.switch,
            network.between,
            network.macs,
            sorted(network.links),
            evidence,
            network.ports,
            network.first_at,
            network.last_at,
        )

    def _network(self, switch: str, between: tuple[str, str], at: datetime) -> _Network:
        """The change that shows already at a switch connected with this one, or a new one."""
        kept = self._thresholds.clear_after
        self._networks = [one for one in self._networks if at - one.last_at < kept]
        for one in self._networks:
            if self._connected.joined(switch, one.switch):
                return one
        self._networks.append(_Network(switch, between, at, at))
        return self._networks[-1]


def _origin(step: Step) -> str:
    return step.origin or step.cut_off_at


def _was_uplink(topology: Topology, port: PortRef, at: datetime) -> bool:
    return bool(port[1]) and (topology.is_uplink(port) or topology.was_uplink(port, at))


def _access(seen: Sequence[Sighting]) -> list[Sighting]:
    return [one for one in seen if not one.uplink]
