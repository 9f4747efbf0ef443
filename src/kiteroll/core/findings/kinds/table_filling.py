"""Table filling: a switch's table is nearly full, or it cannot learn addresses for lack of room."""

from datetime import datetime

from kiteroll.core.findings.evidence import DiscardsRose, Evidence, TableUse
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.tracking.switch_health import SwitchCondition

INFO = KindInfo(
    kind=FindingKind.TABLE_FILLING,
    thresholds=("table_share",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A table that fills up",
        why="What no longer fits is not learned: frames to it flood every port.",
        evidence="The addresses present come near the size you set for the switch, or the switch counts "
        "addresses it could not learn.",
        action="Look for a loop or a flood first. Otherwise shorten the ageing time, remove VLANs from links "
        "that do not need them, or use a larger switch.",
        fewer="Set the right table size (`kiteroll switch change NAME --table-size`).",
    ),
)


def detect(switch: SwitchCondition, thresholds: Thresholds, now: datetime) -> Detection | None:
    full, rising = switch.nearly_full(thresholds.table_share), switch.discards_rising(now)
    if not switch.enabled or not (full or rising):
        return None
    evidence: list[Evidence] = []
    if full:
        evidence.append(TableUse(now, switch.present, switch.table_size))
    if rising and switch.discards_rose_at is not None:
        evidence.append(DiscardsRose(switch.discards_rose_at))
    return Detection(
        kind=FindingKind.TABLE_FILLING,
        severity=Severity.SERIOUS if rising else Severity.WARNING,
        subject=Subject(switch=switch.name),
        cause=Cause.TABLE_TOO_SMALL,
        details=Details(count=switch.present, limit=switch.table_size),
        evidence=tuple(evidence),
        first_at=now,
        last_at=now,
    )
