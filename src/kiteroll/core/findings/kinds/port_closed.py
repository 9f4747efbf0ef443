"""Port closed: Kite Roll has shut it, and whoever is behind it is cut off."""

from collections.abc import Iterator
from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.service_condition import ServiceCondition

INFO = KindInfo(
    kind=FindingKind.PORT_CLOSED,
    condition=True,
    recorded=True,
    help=KindHelp(
        title="A port is closed",
        why="Whoever is behind it is cut off, until the timer of its rule, or a person, opens it again.",
        evidence="It was closed by Kite Roll: by a rule, or by a person. Serious where it is held closed: the same "
        "breach came back each time the timer had opened it.",
        action="Find out who or what is there, put it right, then `kiteroll port reopen SWITCH PORT`.",
        fewer="Close for what matters only, and let ports reopen by themselves.",
    ),
)


def detect(service: ServiceCondition, now: datetime) -> Iterator[Detection]:
    for one in service.closed:
        switch, port = one.port
        yield Detection(
            kind=FindingKind.PORT_CLOSED,
            severity=Severity.SERIOUS if one.held else Severity.NOTE,
            subject=Subject(switch=switch, port=port),
            cause=Cause.CAME_BACK if one.held else Cause.CLOSED_HERE,
            details=Details(ports=(one.port,), count=one.came_back, reason=one.why),
            evidence=(ServiceNoted(one.closed_at, one.by, one.why),),
            first_at=one.closed_at,
            last_at=now,
            ports=frozenset({one.port}),
        )
