"""Address flood: dozens of new addresses on one access port within minutes."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import datetime

from kiteroll.core.findings.bursts import Step
from kiteroll.core.findings.evidence import NewAddresses
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.topology.roles import Topology

INFO = KindInfo(
    kind=FindingKind.FLOOD,
    thresholds=("flood_addresses", "burst_window"),
    goes_on_unseen=True,
    explains=frozenset(
        {FindingKind.TABLE_FILLING, FindingKind.OVERFULL, FindingKind.STRANGER, FindingKind.LEFT_OUT}
    ),
    help=KindHelp(
        title="A flood of new addresses",
        why="A full table makes the switch send frames to every port, where anybody can read them.",
        evidence="Dozens of addresses that no switch had before appear on one port within minutes.",
        action="See what is connected there. A network that was just plugged in is fine; a single device that "
        "makes up addresses is faulty or attacks: switch its port off.",
        fewer="Raise findings.flood_addresses where whole networks are plugged in.",
    ),
)


def detect(
    switch: str, steps: Sequence[Step], topology: Topology, thresholds: Thresholds, now: datetime
) -> Iterator[Detection]:
    new: dict[str, list[Step]] = defaultdict(list)
    for step in steps:
        if step.unknown and now - step.at <= thresholds.burst_window:
            new[step.to].append(step)
    for port, arrivals in new.items():
        if len(arrivals) < thresholds.flood_addresses or topology.is_uplink((switch, port)):
            continue
        last_at = max(step.at for step in arrivals)
        count = len({step.mac for step in arrivals})
        yield Detection(
            kind=FindingKind.FLOOD,
            severity=Severity.SERIOUS,
            subject=Subject(switch=switch, port=port),
            cause=Cause.INVENTED_ADDRESSES,
            details=Details(ports=((switch, port),), count=count),
            evidence=(NewAddresses(last_at, count),),
            first_at=min(step.at for step in arrivals),
            last_at=last_at,
            ports=frozenset({(switch, port)}),
        )
