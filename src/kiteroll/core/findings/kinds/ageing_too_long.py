"""Ageing too long: a switch keeps addresses of who left for hours, or for ever (dot1dTpAgingTime, RFC 4188)."""

from datetime import datetime

from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.tracking.switch_health import SwitchCondition

INFO = KindInfo(
    kind=FindingKind.AGEING_TOO_LONG,
    thresholds=("ageing_long", "ageing_lasting"),
    condition=True,
    help=KindHelp(
        title="A switch keeps addresses for too long",
        why="Who left seems to be there still, and the table fills with addresses that nobody uses.",
        evidence="The ageing time the switch reports.",
        action="Set a shorter one; 300 seconds is what the standard recommends (IEEE 802.1Q table 8-6).",
        fewer="Raise findings.ageing_long if so long a time is meant.",
    ),
)


def detect(switch: SwitchCondition, thresholds: Thresholds, now: datetime) -> Detection | None:
    if not switch.enabled or switch.ageing is None or switch.ageing <= thresholds.ageing_long:
        return None
    return Detection(
        kind=FindingKind.AGEING_TOO_LONG,
        severity=Severity.NOTE,
        subject=Subject(switch=switch.name),
        cause=Cause.NEVER_FORGETS,
        details=Details(ageing=switch.ageing),
        first_at=now,
        last_at=now,
    )
