"""Many addresses at once: loops and floods, told from the changes of one switch."""

from collections import defaultdict, deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.changes import Appeared, Change, Moved
from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject, Thresholds
from kiteroll.core.mac import MacAddress
from kiteroll.core.topology import Role, Topology

_MOST_REMEMBERED = 20_000
"""Changes of one switch that are kept to judge by."""
_SUMMED_UP = timedelta(seconds=10)
"""How often a loop is summed up: looks at single addresses come many a second while it lasts."""


@dataclass(frozen=True, slots=True)
class _Step:
    at: datetime
    mac: MacAddress
    origin: str
    """Port it came from; empty: it is new on the switch."""
    to: str


class Storms:
    """Remembers the jumps and arrivals of the last minutes, switch by switch."""

    def __init__(self, limits: Thresholds) -> None:
        self._limits = limits
        self._steps: dict[str, deque[_Step]] = defaultdict(lambda: deque(maxlen=_MOST_REMEMBERED))
        self._topology_changes: dict[str, int] = {}
        self._summed_up: dict[str, datetime] = {}

    def take(
        self,
        switch: str,
        changes: Iterable[Change],
        topology_changes: int | None,
        topology: Topology,
        now: datetime,
    ) -> list[Sign]:
        """Signs after one reading of `switch`. `topology_changes`: its spanning-tree count."""
        steps = self._steps[switch]
        for change in changes:
            match change:
                case Moved():
                    steps.append(_Step(change.at, change.mac, change.origin.port, change.place.port))
                case Appeared():
                    steps.append(_Step(change.at, change.mac, "", change.place.port))
        while steps and now - steps[0].at > self._limits.storm_window:
            steps.popleft()
        before = self._topology_changes.get(switch)
        if topology_changes is not None:
            self._topology_changes[switch] = topology_changes
        rose = before is not None and topology_changes is not None and topology_changes > before
        return [*self._loops(switch, rose, topology, now), *self._floods(switch, topology, now)]

    def _loops(self, switch: str, rose: bool, topology: Topology, now: datetime) -> Iterator[Sign]:
        """Many addresses to and fro between the same ports. One way only is a new path, no loop; and
        where both ports lead to other switches, the loop is behind one of them and told there."""
        there: dict[frozenset[str], dict[tuple[str, str], list[_Step]]] = defaultdict(
            lambda: defaultdict(list)
        )
        for step in self._steps[switch]:
            if step.origin:
                there[frozenset((step.origin, step.to))][step.origin, step.to].append(step)
        found = []
        for ports, ways in there.items():
            macs = {step.mac for steps in ways.values() for step in steps}
            if all(topology.role((switch, port)).role is Role.UPLINK for port in ports):
                continue
            both_ways = len(ways) == 2 and min(map(len, ways.values())) >= 2
            if len(macs) >= self._limits.storm_addresses and both_ways:
                found.append((len(macs), sorted(ports), [s for steps in ways.values() for s in steps]))
        if not found:
            return
        # One loop shows between several pairs of ports: its own, and each with where hosts really are.
        count, pair, steps = max(found, key=lambda one: (one[0], one[1]))
        all_ports = frozenset((switch, port) for _, two, _ in found for port in two)
        evidence = [
            Evidence(step.at, f"{step.mac} went from port {step.origin} to port {step.to}")
            for step in sorted(steps, key=lambda one: one.at)[-5:]
        ]
        told_at = self._summed_up.get(switch)
        if told_at is None or now - told_at >= _SUMMED_UP:
            self._summed_up[switch] = now
            said = f"{count} addresses jumped to and fro between ports {' and '.join(pair)}"
            evidence.append(Evidence(now, said))
        if rose:
            evidence.append(Evidence(now, "the count of spanning-tree changes rose"))
        yield Sign(
            kind=Kind.LOOP,
            severity=Severity.SERIOUS,
            subject=Subject(switch=switch),
            title=f"{count} addresses jump between ports {' and '.join(pair)} of {switch}",
            cause="loop: frames come back to the switch through a second cable",
            evidence=tuple(sorted(evidence)),
            first_at=min(step.at for step in steps),
            last_at=max(step.at for step in steps),
            places=all_ports,
        )

    def _floods(self, switch: str, topology: Topology, now: datetime) -> Iterator[Sign]:
        new: dict[str, list[_Step]] = defaultdict(list)
        for step in self._steps[switch]:
            if not step.origin:
                new[step.to].append(step)
        for port, steps in new.items():
            uplink = topology.role((switch, port)).role is Role.UPLINK
            if uplink or len(steps) < self._limits.flood_addresses:
                continue
            last_at = max(step.at for step in steps)
            count = len({step.mac for step in steps})
            yield Sign(
                kind=Kind.FLOOD,
                severity=Severity.SERIOUS,
                subject=Subject(switch=switch, port=port),
                title=f"{count} new addresses on {switch} port {port} within minutes",
                cause="a device makes up source addresses, or a large network was plugged in there",
                evidence=(Evidence(last_at, f"{count} addresses that were not on the switch before"),),
                first_at=min(step.at for step in steps),
                last_at=last_at,
                places=frozenset({(switch, port)}),
            )
