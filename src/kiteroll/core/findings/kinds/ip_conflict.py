"""IP conflict: one IP address answers with different MAC addresses by turns."""

from collections.abc import Sequence
from datetime import datetime

from kiteroll.core.findings.evidence import IpAnswered
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.mac import MacAddress

INFO = KindInfo(
    kind=FindingKind.IP_CONFLICT,
    thresholds=("ip_conflict_window",),
    help=KindHelp(
        title="One IP address, two devices",
        why="Whoever answered last gets the traffic; sessions break whenever the other one speaks.",
        evidence="A router's neighbour cache showed the IP with different addresses by turns.",
        action="Find both addresses here, and give one of them another IP.",
        fewer="A pair that takes over from each other on purpose is no problem: acknowledge it.",
    ),
)
MIN_TURNS = 3
"""Turns that make a conflict: A, B, A. A lease that passes once from A to B is none."""


def detect(ip: str, turns: Sequence[tuple[datetime, MacAddress]]) -> Detection | None:
    """`turns`: when the IP began to answer with which address, in order of time."""
    macs = tuple(sorted({mac for _, mac in turns}))
    if len(turns) < MIN_TURNS or len(macs) < 2 or len(turns) == len(macs):  # passed on, and never back
        return None
    return Detection(
        kind=FindingKind.IP_CONFLICT,
        severity=Severity.WARNING,
        subject=Subject(ip=ip),
        cause=Cause.SAME_IP_TWICE,
        details=Details(macs=macs),
        evidence=tuple(IpAnswered(at, ip, mac) for at, mac in turns),
        first_at=turns[0][0],
        last_at=turns[-1][0],
    )
