"""Topology change: who stayed where he was is now reached over other uplinks.

When a cable between switches breaks or comes back, spanning tree opens and closes others (IEEE 802.1Q clause 13),
and every bridge on the way learns addresses anew at other ports: one event, however many addresses and switches
show it. Who changes places himself, as a client that roams, changes uplinks as well, and is left out.
"""

from collections.abc import Collection, Sequence
from datetime import datetime

from kiteroll.core.findings.evidence import Evidence, in_order
from kiteroll.core.findings.finding import (
    MAX_NAMED,
    Cause,
    Details,
    Detection,
    FindingKind,
    Severity,
    Subject,
)
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef

INFO = KindInfo(
    kind=FindingKind.TOPOLOGY_CHANGE,
    thresholds=("path_addresses",),
    explains=frozenset({FindingKind.MOVED, FindingKind.MOVED_TOGETHER, FindingKind.FLAPPING}),
    help=KindHelp(
        title="Paths between switches changed",
        why="Traffic stood still for a moment, and goes another way since: over a slower cable, or one that is a "
        "spare. If it happens again and again, a cable or a switch on the way is failing.",
        evidence="Within minutes, a switch learns several addresses at another of its uplinks, though their own "
        "switch has them where they always were. Links that changed and a rising count of spanning-tree changes "
        "say the same.",
        action="Look at the link that changed, or at the switch next to it. Nothing, if somebody worked there.",
        fewer="Set the priorities of spanning tree so that the best cable is used whenever it is there, and set "
        "access ports to be edge ports.",
    ),
)


def detect(
    switch: str,
    between: tuple[str, str],
    macs: Collection[MacAddress],
    links: Sequence[PortRef],
    evidence: Sequence[Evidence],
    ports: Collection[PortRef],
    first_at: datetime,
    last_at: datetime,
) -> Detection:
    """`switch`: where most of `macs` changed from the one port to the other of `between`; `links`: ports whose
    link changed with it; `ports`: all that are concerned, on any switch."""
    return Detection(
        kind=FindingKind.TOPOLOGY_CHANGE,
        severity=Severity.WARNING,
        subject=Subject(switch=switch),
        cause=Cause.LINK_BETWEEN_SWITCHES if links else Cause.OTHER_TREE,
        details=Details(
            ports=((switch, between[0]), (switch, between[1]), *links),
            macs=tuple(sorted(macs)[:MAX_NAMED]),
            count=len(macs),
            link_changed=bool(links),
        ),
        evidence=in_order(list(evidence)),
        first_at=first_at,
        last_at=last_at,
        ports=frozenset(ports),
    )
