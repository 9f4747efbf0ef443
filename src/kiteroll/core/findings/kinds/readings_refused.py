"""Readings refused: a site sends what it may not, such as readings of switches of another site."""

from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import SITE_NEWS, ServiceCondition

INFO = KindInfo(
    kind=FindingKind.READINGS_REFUSED,
    help=KindHelp(
        title="Readings of a site that were not taken",
        why="Its collector, or whoever has its key, says something of switches it is not to read; or its clock is "
        "ahead.",
        evidence="A message was of another site's switch, of the future, or could not be understood. Nothing of "
        "it was recorded.",
        action="Look at the collector and its machine. Give it a new key if somebody else may have it: remove and "
        "add it.",
        fewer="Keep the clocks of collectors right; do not copy their data directories.",
    ),
)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    lately = [
        (one.refused_at, one.site, one.refusal)
        for one in service.sites
        if one.refused_at is not None and now - one.refused_at < SITE_NEWS
    ]
    if not lately:
        return None
    return Detection(
        kind=FindingKind.READINGS_REFUSED,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.NOT_ITS_OWN,
        details=Details(count=len(lately), levels=tuple(site for _, site, _ in lately), error=lately[0][2]),
        evidence=tuple(ServiceNoted(*one) for one in lately),
        first_at=min(at for at, _, _ in lately),
        last_at=max(at for at, _, _ in lately),
    )
