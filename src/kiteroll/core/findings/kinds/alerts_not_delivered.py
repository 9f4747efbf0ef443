"""Alerts not delivered: a target takes nothing, and nobody behind it hears of findings."""

from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.ALERTS_FAIL,
    condition=True,
    help=KindHelp(
        title="Alerts that are not delivered",
        why="Whoever is behind this target hears of nothing.",
        evidence="Deliveries to it have failed for two minutes. They are tried again for a day.",
        action="`kiteroll alert-target list` shows why; `kiteroll alert-target test NAME` tries it.",
        fewer="Switch a target off while its server is being worked on.",
    ),
)
_LASTING = timedelta(minutes=2)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    failing = [one for one in service.targets if now - one.since >= _LASTING]
    if not failing:
        return None
    return Detection(
        kind=FindingKind.ALERTS_FAIL,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.ERROR,
        details=Details(
            count=len(failing), levels=tuple(one.name for one in failing), error=failing[0].error
        ),
        evidence=tuple(ServiceNoted(one.since, one.name, one.error) for one in failing),
        first_at=min(one.since for one in failing),
        last_at=now,
    )
