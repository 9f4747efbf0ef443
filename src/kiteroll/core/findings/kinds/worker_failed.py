"""Worker failed: a part of the service does not run, or failed lately and was started again."""

from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.WORKER_FAILED,
    condition=True,
    help=KindHelp(
        title="A part of the service fails",
        why="What it does is late or not done: readings, findings, alerts, names.",
        evidence="It ended with an error within the last five minutes, and is started again, with growing pauses; "
        "or the tracker of an area is not heard any more, and the service tracks its switches.",
        action="`kiteroll health` shows its last error, and the log the whole of it. If it lasts, report it.",
        fewer="It clears two minutes after it runs again.",
    ),
)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    if not service.workers:
        return None
    first = min(one.since for one in service.workers)
    return Detection(
        kind=FindingKind.WORKER_FAILED,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.ERROR,
        details=Details(
            count=len(service.workers),
            levels=tuple(one.name for one in service.workers),
            error=service.workers[0].error,
        ),
        evidence=tuple(ServiceNoted(one.since, one.name, one.error) for one in service.workers),
        first_at=first,
        last_at=now,
    )
