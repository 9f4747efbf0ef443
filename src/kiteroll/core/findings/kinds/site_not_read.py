"""Site not read: nothing comes from the collectors of a site, so that its switches are only known as they were."""

from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.SITE_NOT_READ,
    condition=True,
    help=KindHelp(
        title="A site from which no readings come",
        why="What is shown of its switches is as old as the last reading that came. What is read there meanwhile "
        "is kept at the site and comes later.",
        evidence="For a minute none of its collectors that reads was heard; or they are heard, and their readings "
        "are two minutes late.",
        action="`kiteroll collector list`: is the line up, the collector running, its clock right?",
        fewer="Run a second collector at the site; it takes over within ten seconds.",
    ),
)
_SILENT, _BEHIND = timedelta(minutes=1), timedelta(minutes=2)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    sites = []
    for one in service.sites:
        if one.silent_since is not None and now - one.silent_since >= _SILENT:
            sites.append((one.silent_since, one.site, f"no collector of it is heard{_because(one.error)}"))
        elif one.silent_since is None and one.behind_since and now - one.behind_since >= _BEHIND:
            sites.append((one.behind_since, one.site, f"its readings come late{_because(one.error)}"))
    if not sites:
        return None
    return Detection(
        kind=FindingKind.SITE_NOT_READ,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.READINGS_FAIL,
        details=Details(count=len(sites), levels=tuple(site for _, site, _ in sites), error=sites[0][2]),
        evidence=tuple(ServiceNoted(*one) for one in sites),
        first_at=min(since for since, _, _ in sites),
        last_at=now,
    )


def _because(error: str) -> str:
    return f": {error}" if error else ""
