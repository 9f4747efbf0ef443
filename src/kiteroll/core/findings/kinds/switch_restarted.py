"""Switch restarted: its uptime was reset, and the counter did not just wrap."""

from kiteroll.core.findings.evidence import Started
from kiteroll.core.findings.finding import Cause, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.changes import Restarted

INFO = KindInfo(
    kind=FindingKind.RESTARTED,
    help=KindHelp(
        title="A switch restarted",
        why="Everything behind it was cut off, and its table was empty at first.",
        evidence="Its uptime was reset, and the counter did not just wrap.",
        action="If nobody meant it: power, heat, or a crash. Look at its log.",
        fewer="It is a note and clears by itself.",
    ),
)


def detect(change: Restarted) -> Detection:
    return Detection(
        kind=FindingKind.RESTARTED,
        severity=Severity.NOTE,
        subject=Subject(switch=change.switch),
        cause=Cause.RESTART,
        evidence=(Started(change.booted_at),),
        first_at=change.booted_at,
        last_at=change.at,
    )
