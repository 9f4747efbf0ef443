"""Uplink claimed: a port with rules begins to look like an uplink, and nobody confirms it."""

from collections.abc import Iterable
from datetime import datetime

from kiteroll.core.findings.evidence import ClaimsUplink
from kiteroll.core.findings.finding import Cause, Details, Detection, Finding, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import PortRole

INFO = KindInfo(
    kind=FindingKind.UPLINK_CLAIMED,
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A port that claims to be an uplink",
        why="Uplinks are exempt from the rules of ports. One forged frame with the address or the name of a known "
        "switch would lift them.",
        evidence="A port with seats, or that is watched, was an access port for ten minutes or more, and now a "
        "known switch seems to be behind it. The switch at the far end does not see this one at that cable.",
        action="See what is connected there. If a switch was, set the role of the port; otherwise somebody "
        "pretends to be one.",
        fewer="Set the role of ports where switches are connected (`kiteroll port role`), or let both ends "
        "announce themselves by LLDP.",
    ),
)


def ports_of(findings: Iterable[Finding]) -> frozenset[PortRef]:
    """Ports that such findings are about."""
    claimed = (one.subject for one in findings if one.kind is FindingKind.UPLINK_CLAIMED)
    return frozenset((one.switch, one.port) for one in claimed)


def detect(port: PortRef, role: PortRole, now: datetime) -> Detection:
    return Detection(
        kind=FindingKind.UPLINK_CLAIMED,
        severity=Severity.WARNING,
        subject=Subject(switch=port[0], port=port[1]),
        cause=Cause.FORGED_OR_NEW_SWITCH,
        details=Details(ports=(port,)),
        evidence=(ClaimsUplink(now, role.evidence.value, role.witnesses),),
        first_at=now,
        last_at=now,
        ports=frozenset({port}),
    )
