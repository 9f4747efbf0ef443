"""Ageing too short: a switch forgets addresses sooner than it is read."""

from datetime import datetime

from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.tracking.switch_health import SwitchCondition

INFO = KindInfo(
    kind=FindingKind.AGEING_TOO_SHORT,
    thresholds=("ageing_lasting",),
    condition=True,
    help=KindHelp(
        title="Addresses age out before they are read",
        why="Endpoints that talk seldom come and go unseen between two readings.",
        evidence="The reading interval of the switch is longer than its ageing time.",
        action="Read it more often (`kiteroll switch change NAME --every SPAN`), or lengthen its ageing time.",
        fewer="The same.",
    ),
)


def detect(switch: SwitchCondition, now: datetime) -> Detection | None:
    if not switch.enabled or not switch.ageing_too_short:
        return None
    return Detection(
        kind=FindingKind.AGEING_TOO_SHORT,
        severity=Severity.WARNING,
        subject=Subject(switch=switch.name),
        cause=Cause.READ_TOO_SELDOM,
        details=Details(interval=switch.interval, ageing=switch.ageing),
        first_at=now,
        last_at=now,
    )
