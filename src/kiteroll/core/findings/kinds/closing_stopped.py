"""Closing stopped: rules closed as many ports as they may, and close no more until a person looks."""

from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.CLOSING_STOPPED,
    condition=True,
    recorded=True,
    help=KindHelp(
        title="Rules close no more ports by themselves",
        why="Many breaches at once are more often a mistake in a rule, or a change nobody announced, than an attack. "
        "Further ports are proposed only.",
        evidence="Rules closed as many ports within an hour as `acting.by_rule_per_hour` allows.",
        action="Look at what was closed (`kiteroll port closed`). Reopen what should be open, correct the rule, then "
        "`kiteroll proposal go-on`.",
        fewer="Rehearse a rule on the days before you let it close ports.",
    ),
)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    if service.closing_stopped is None:
        return None
    stopped = service.closing_stopped
    return Detection(
        kind=FindingKind.CLOSING_STOPPED,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.TOO_MANY,
        details=Details(reason=stopped.error),
        evidence=(ServiceNoted(stopped.since, stopped.name, stopped.error),),
        first_at=stopped.since,
        last_at=now,
    )
