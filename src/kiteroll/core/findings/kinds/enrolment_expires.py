"""Enrolment expires: entries of rolls, or of those barred, end soon."""

from datetime import datetime

from kiteroll.core.findings.evidence import EntryExpires
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.policy.rule_book import RuleBook

INFO = KindInfo(
    kind=FindingKind.EXPIRING,
    thresholds=("expiry_notice",),
    condition=True,
    help=KindHelp(
        title="Entries of rolls that expire soon",
        why="From its end on an entry authorises nobody: what it stood for becomes a stranger.",
        evidence="The entry was given an end, and that is within `expiry_notice` (7 days unless set). All of them "
        "are one finding.",
        action="Enrol those that are to stay with a later end; strike off the others.",
        fewer="Give an end only to what is to go, or shorten `expiry_notice`.",
    ),
)
_NAMED = 20


def detect(rules: RuleBook, thresholds: Thresholds, now: datetime) -> Detection | None:
    soon = sorted(
        (
            (entry.expires_at, str(entry), str(entry.level))
            for entry in rules.entries()
            if entry.expires_at is not None and now < entry.expires_at <= now + thresholds.expiry_notice
        ),
    )
    if not soon:
        return None
    return Detection(
        kind=FindingKind.EXPIRING,
        severity=Severity.NOTE,
        subject=Subject(),
        cause=Cause.ENDS_SOON,
        details=Details(count=len(soon), levels=tuple(dict.fromkeys(level for _, _, level in soon[:_NAMED]))),
        evidence=tuple(EntryExpires(now, entry, level, end) for end, entry, level in soon[:_NAMED]),
        first_at=now,
        last_at=now,
    )
