"""Barred address: an address that must appear nowhere is present."""

from collections.abc import Iterator
from datetime import datetime

from kiteroll.core.findings.evidence import PresentAt
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.policy.occupancy import PortOccupancy
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.core.policy.roll import BarredList

INFO = KindInfo(
    kind=FindingKind.BARRED,
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A barred address",
        why="Somebody decided that this device must not be on the network: stolen, infected, or replaced.",
        evidence="The address, or a prefix it begins with, is barred, and a switch has it in its table. It is reported "
        "at once, on any port, watched or not; uplinks are named only while no access port shows it.",
        action="Go to the port and unplug it. Its page shows where it was before.",
        fewer="Lift the bar when the reason is gone (`kiteroll barred remove`), or give it an end.",
    ),
)
_MAX_A_PORT = 20


def detect(occupancy: PortOccupancy, barred: BarredList, now: datetime) -> Iterator[Detection]:
    for one in occupancy.of_status(RollStatus.BARRED)[:_MAX_A_PORT]:
        entry = barred.entry(one.mac, now)
        yield Detection(
            kind=FindingKind.BARRED,
            severity=Severity.SERIOUS,
            subject=Subject(mac=one.mac),
            cause=Cause.BARRED,
            details=Details(
                ports=(occupancy.port,),
                macs=(one.mac,),
                vlan=one.vlan,
                reason=entry.reason if entry is not None else "",
            ),
            evidence=(PresentAt(now, occupancy.port),),
            first_at=now,
            last_at=now,
            ports=frozenset({occupancy.port}),
        )
