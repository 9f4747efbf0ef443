"""Overfull port: more addresses are present on it at once than it has seats."""

from dataclasses import replace
from datetime import datetime

from kiteroll.core.findings.evidence import PresentTogether
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.policy.occupancy import PortOccupancy

INFO = KindInfo(
    kind=FindingKind.OVERFULL,
    thresholds=("port_rule_delay",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A port that is overfull",
        why="More devices than agreed share one socket: what they do cannot be told apart, and a small switch "
        "nobody knows of can close a loop.",
        evidence="More addresses are present on the port at once than it has seats. Uplinks are exempt. The "
        "evidence names who was there.",
        action="See who is there and go to the socket. Remove what does not belong there, or give the port the "
        "seats it needs. A bridge of yours that announces itself there belongs in the inventory: then the port is an "
        "uplink, and who is behind it is found there.",
        fewer="Set the seats (`kiteroll rule set --switch NAME --port PORT --seats N`), or no limit (`--seats none`).",
    ),
)
_NAMED = 8
"""Addresses named in a piece of evidence."""


def detect(occupancy: PortOccupancy, severity: Severity, now: datetime) -> Detection | None:
    if not occupancy.overfull:
        return None
    macs, seats = occupancy.macs, occupancy.rule.seats
    return Detection(
        kind=FindingKind.OVERFULL,
        severity=severity,
        subject=Subject(switch=occupancy.port[0], port=occupancy.port[1]),
        cause=Cause.SEVERAL_DEVICES,
        details=Details(
            ports=(occupancy.port,),
            macs=tuple(macs[:_NAMED]),
            count=len(macs),
            limit=seats if isinstance(seats, int) else None,
        ),
        evidence=(PresentTogether(now, tuple(macs[:_NAMED]), len(macs)),),
        first_at=now,
        last_at=now,
        ports=frozenset({occupancy.port}),
    )


def with_bridge(detection: Detection, bridge: str) -> Detection:
    """The same at a port where a bridge that is not in the inventory announces itself."""
    details = replace(detection.details, bridge=bridge)
    return replace(detection, cause=Cause.BRIDGE_BEHIND, details=details)
