"""Stranger: an address present on a watched port whose roll does not carry it."""

from collections.abc import Iterator
from datetime import datetime

from kiteroll.core.findings.evidence import NotOnRoll
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.policy.occupancy import PortOccupancy
from kiteroll.core.policy.port_rules import RollStatus

INFO = KindInfo(
    kind=FindingKind.STRANGER,
    thresholds=("port_rule_delay",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A stranger on a port",
        why="A device that nobody enrolled receives what is meant for others, or was plugged into the wrong "
        "socket.",
        evidence="An address is present on a watched port whose roll does not carry it in that VLAN. The roll "
        "is what was enrolled on the port, its switch and the groups of the switch together.",
        action="Find out whose it is. Enrol it if it belongs there; otherwise unplug it.",
        fewer="Enrol whole prefixes of a maker (`kiteroll rule enrol`), or stop watching the port.",
    ),
)
_MAX_A_PORT = 20
"""Findings a port: beyond that it is one port with a crowd, not that many visitors."""


def detect(occupancy: PortOccupancy, severity: Severity, now: datetime) -> Iterator[Detection]:
    for one in occupancy.of_status(RollStatus.STRANGER)[:_MAX_A_PORT]:
        yield Detection(
            kind=FindingKind.STRANGER,
            severity=severity,
            subject=Subject(mac=one.mac, switch=occupancy.port[0], port=occupancy.port[1]),
            cause=Cause.NOT_ENROLLED,
            details=Details(ports=(occupancy.port,), macs=(one.mac,), vlan=one.vlan),
            evidence=(NotOnRoll(now, one.vlan, len(occupancy.rule.roll)),),
            first_at=now,
            last_at=now,
            ports=frozenset({occupancy.port}),
        )
