"""Readings dropped: a site kept them for as long as it had room, and they never came."""

from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import SITE_NEWS, ServiceCondition

INFO = KindInfo(
    kind=FindingKind.READINGS_DROPPED,
    help=KindHelp(
        title="Readings a site had no room for",
        why="What happened there in that time is not known: moves and changes between two readings that came "
        "look like one.",
        evidence="The numbers of the messages of its stream jump: the oldest went before they could be sent.",
        action="Is the line up long enough, and is there room? `bus.keep` and `bus.keep_octets` at the site.",
        fewer="Give the site more room, or read less often there.",
    ),
)


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    lately = [
        (one.dropped_at, one.site, one.dropped)
        for one in service.sites
        if one.dropped_at is not None and now - one.dropped_at < SITE_NEWS
    ]
    if not lately:
        return None
    return Detection(
        kind=FindingKind.READINGS_DROPPED,
        severity=Severity.WARNING,
        subject=Subject(),
        cause=Cause.NO_ROOM,
        details=Details(
            count=sum(count for _, _, count in lately), levels=tuple(site for _, site, _ in lately)
        ),
        evidence=tuple(ServiceNoted(at, site, f"{count} messages in all") for at, site, count in lately),
        first_at=min(at for at, _, _ in lately),
        last_at=max(at for at, _, _ in lately),
    )
