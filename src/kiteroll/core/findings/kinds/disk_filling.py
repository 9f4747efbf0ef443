"""Disk filling: little is left where the records are."""

from datetime import datetime

from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.DISK_FILLING,
    condition=True,
    help=KindHelp(
        title="The disk of the service fills",
        why="Once it is full nothing can be recorded: readings wait, and changes are refused.",
        evidence="Less than a tenth is free where the data directory is; serious below 2 GB or a fiftieth.",
        action="Make room, or keep records for a shorter time (`retention`).",
        fewer="Give the data directory a disk of its own.",
    ),
)
_SHARE, _SERIOUS_SHARE = 0.1, 0.02
_SERIOUS_OCTETS = 2_000_000_000


def detect(service: ServiceCondition, now: datetime) -> Detection | None:
    if service.disk is None:
        return None
    free, total = service.disk
    if free >= _SHARE * total:
        return None
    scarce = free < _SERIOUS_SHARE * total or free < _SERIOUS_OCTETS
    return Detection(
        kind=FindingKind.DISK_FILLING,
        severity=Severity.SERIOUS if scarce else Severity.WARNING,
        subject=Subject(),
        cause=Cause.RECORDS_GROW,
        details=Details(count=free // 1_000_000, limit=total // 1_000_000),
        first_at=now,
        last_at=now,
    )
