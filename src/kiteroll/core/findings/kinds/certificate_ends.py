"""Certificate ends: soon no browser and no program will talk to the service."""

from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.CERTIFICATE_ENDS,
    condition=True,
    help=KindHelp(
        title="The certificate of the service ends",
        why="After that browsers and programs refuse to talk to it.",
        evidence="The certificate it listens with ends within three weeks; serious within three days.",
        action="Put a new one in its place: it is taken without a restart. One that the service made for itself "
        "is made anew at the next start.",
        fewer="Have it renewed earlier.",
    ),
)
_NOTICE, _SERIOUS = timedelta(days=21), timedelta(days=3)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    ends = service.certificate_ends_at
    if ends is None or ends - now > _NOTICE:
        return None
    return Detection(
        kind=FindingKind.CERTIFICATE_ENDS,
        severity=Severity.SERIOUS if ends - now <= _SERIOUS else Severity.WARNING,
        subject=Subject(),
        cause=Cause.NOT_RENEWED,
        details=Details(reason=f"{ends:%Y-%m-%d %H:%M}", count=int(ends <= now)),
        evidence=(ServiceNoted(ends - _NOTICE, "certificate", f"it ends at {ends:%Y-%m-%d %H:%M} UTC"),),
        first_at=now,
        last_at=now,
    )
