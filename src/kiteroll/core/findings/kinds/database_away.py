"""Database away: for a while nothing could be recorded."""

from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.DATABASE_AWAY,
    help=KindHelp(
        title="The database was away",
        why="Meanwhile readings waited and calls were refused; what happened in between is seen later.",
        evidence="For half a minute or more it could not be used; reported once it can be again.",
        action="The log of the database server says why.",
        fewer="It is reported once for each time.",
    ),
)
_LASTING = timedelta(seconds=30)
_LATELY = timedelta(minutes=5)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    outage = service.outage
    if outage is None or now - outage.ended_at > _LATELY or outage.ended_at - outage.began_at < _LASTING:
        return None
    return Detection(
        kind=FindingKind.DATABASE_AWAY,
        severity=Severity.WARNING,
        subject=Subject(),
        cause=Cause.ERROR,
        details=Details(error=outage.error, interval=outage.ended_at - outage.began_at),
        evidence=(ServiceNoted(outage.began_at, "database", outage.error),),
        first_at=outage.began_at,
        last_at=outage.ended_at,
    )
