"""Loop: many addresses jump to and fro between the same ports of one switch.

One way only is a new path, no loop; and where both ports are uplinks, the loop is behind one of them
and told there.
"""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime

from kiteroll.core.findings.bursts import Step
from kiteroll.core.findings.evidence import Evidence, Jumped, ManyJumped, TopologyChanged, in_order
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.topology.roles import Topology

INFO = KindInfo(
    kind=FindingKind.LOOP,
    thresholds=("loop_addresses", "burst_window"),
    # Addresses find their ports again one by one: that is still part of it.
    clear_factor=2,
    explains=frozenset(
        {
            FindingKind.FLAPPING,
            FindingKind.DUPLICATE,
            FindingKind.MOVED,
            FindingKind.FLOOD,
            FindingKind.TABLE_FILLING,
            FindingKind.IP_CONFLICT,
            FindingKind.SILENT_PORT,
            FindingKind.OVERFULL,
            FindingKind.STRANGER,
        }
    ),
    help=KindHelp(
        title="A loop",
        why="Broadcasts circulate endlessly. The whole VLAN slows down or stands still.",
        evidence="Many addresses jump to and fro between the same ports of one switch within a minute or two. "
        "Often the count of spanning-tree changes rises too.",
        action="Pull the cable at one of the two ports, then see where it leads: two sockets joined by a cable, "
        "or a small switch with two cables. When the jumps stop, the finding shows since when it is quiet.",
        fewer="Switch on spanning tree, or loop protection, on access ports.",
    ),
)
_SHOWN = 5
"""Jumps told as evidence at a time, and addresses named."""


def detect(
    switch: str,
    steps: Sequence[Step],
    topology: Topology,
    thresholds: Thresholds,
    *,
    topology_changed: bool,
    summarise: bool,
    now: datetime,
) -> Detection | None:
    """`steps`: of the last minutes on this switch; `summarise`: whether to count the addresses as a piece
    of evidence this time (probes come many a second while a loop lasts)."""
    between: dict[frozenset[str], dict[tuple[str, str], list[Step]]] = defaultdict(lambda: defaultdict(list))
    for step in steps:
        if step.origin:
            between[frozenset((step.origin, step.to))][step.origin, step.to].append(step)
    found = []
    for ports, ways in between.items():
        if all(topology.is_uplink((switch, port)) for port in ports):
            continue
        macs = {step.mac for each in ways.values() for step in each}
        both_ways = len(ways) == 2 and min(map(len, ways.values())) >= 2
        if len(macs) >= thresholds.loop_addresses and both_ways:
            found.append((len(macs), sorted(ports), [step for each in ways.values() for step in each]))
    if not found:
        return None
    # One loop shows between several pairs of ports: its own, and each with where endpoints really are.
    count, pair, jumps = max(found, key=lambda one: (one[0], one[1]))
    latest = sorted(jumps, key=lambda one: one.at)
    evidence: list[Evidence] = [
        Jumped(step.at, step.mac, switch, step.origin, step.to) for step in latest[-_SHOWN:]
    ]
    if summarise:
        evidence.append(ManyJumped(now, count, tuple(pair)))
    if topology_changed:
        evidence.append(TopologyChanged(now))
    return Detection(
        kind=FindingKind.LOOP,
        severity=Severity.SERIOUS,
        subject=Subject(switch=switch),
        cause=Cause.SECOND_CABLE,
        details=Details(
            ports=tuple((switch, port) for port in pair),
            macs=tuple(sorted({step.mac for step in jumps})[:_SHOWN]),
            count=count,
        ),
        evidence=in_order(evidence),
        first_at=latest[0].at,
        last_at=latest[-1].at,
        ports=frozenset((switch, port) for _, two, _ in found for port in two),
    )
