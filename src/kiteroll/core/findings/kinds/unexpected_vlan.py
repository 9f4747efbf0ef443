"""Unexpected VLAN: an address is present on a port in a VLAN in which its rule expects nobody."""

from datetime import datetime

from kiteroll.core.findings.evidence import InOtherVlan
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.ranges import ranges
from kiteroll.core.policy.occupancy import PortOccupancy

INFO = KindInfo(
    kind=FindingKind.OTHER_VLAN,
    thresholds=("port_rule_delay",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="Addresses in a VLAN that is not expected on a port",
        why="A device reaches a network that its port was not made for: the port is configured for another VLAN, "
        "or the device tags its frames.",
        evidence="An address is learned on the port in a VLAN that its rule does not list. Uplinks are exempt.",
        action="Compare the VLANs of the port with what was agreed. Correct the port, or what is plugged in there.",
        fewer="List the VLANs the port is for (`kiteroll rule set --switch NAME --port PORT --vlans 20,30`).",
    ),
)
_NAMED = 8
"""Addresses named."""


def detect(occupancy: PortOccupancy, severity: Severity, now: datetime) -> Detection | None:
    found = occupancy.in_other_vlans
    if not found:
        return None
    expected = ", ".join(ranges(occupancy.rule.vlans or ())) or "none"
    macs = sorted({one.mac for one in found})
    return Detection(
        kind=FindingKind.OTHER_VLAN,
        severity=severity,
        subject=Subject(switch=occupancy.port[0], port=occupancy.port[1]),
        cause=Cause.NOT_EXPECTED_HERE,
        details=Details(
            ports=(occupancy.port,), macs=tuple(macs[:_NAMED]), count=len(macs), vlan=found[0].vlan
        ),
        evidence=tuple(
            InOtherVlan(now, one.mac, one.vlan, expected) for one in found[:_NAMED] if one.vlan is not None
        ),
        first_at=now,
        last_at=now,
        ports=frozenset({occupancy.port}),
    )
