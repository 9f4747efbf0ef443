"""Switch replaced: another device answers at its address, or its ports have other names than before.

A switch that is exchanged, a stack whose members are numbered anew, and interfaces that are renamed (ifName,
RFC 2863 3.1.5: names may change with a restart) give every endpoint another port, though nobody moved.
"""

from collections.abc import Collection, Sequence
from datetime import datetime

from kiteroll.core.findings.evidence import Evidence, OtherIdentity, PortsRenamed
from kiteroll.core.findings.finding import (
    MAX_NAMED,
    Cause,
    Details,
    Detection,
    FindingKind,
    Severity,
    Subject,
)
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Change, Moved
from kiteroll.core.model.mac import MacAddress

INFO = KindInfo(
    kind=FindingKind.SWITCH_REPLACED,
    thresholds=("moved_together",),
    explains=frozenset(
        {FindingKind.MOVED, FindingKind.MOVED_TOGETHER, FindingKind.RESTARTED, FindingKind.FLOOD}
    ),
    help=KindHelp(
        title="A switch was replaced, or its ports renamed",
        why="Everybody on it is at a port of another name, though nobody moved; rules of the old names apply no "
        "more.",
        evidence="The switch reports another bridge address than before, or ports are gone and their addresses are "
        "at ports of other names on the same switch.",
        action="If it was exchanged or the stack numbered anew: set the rules of its ports under the new names. "
        "If nobody did that, find out which device answers at its address.",
        fewer="Keep the names of ports and the numbers of stack members when a switch is exchanged.",
    ),
)
_SHOWN = 5


def renamed(
    switch: str, changes: Sequence[Change], names: Collection[str], thresholds: Thresholds, at: datetime
) -> Detection | None:
    """`changes`: of one reading, after which the switch has ports of these `names`."""
    moves = [one for one in changes if isinstance(one, Moved) and one.origin.port not in names]
    pairs = sorted({(one.origin.port, one.place.port) for one in moves})
    if len(moves) < thresholds.moved_together or len({before for before, _ in pairs}) < 2:
        return None
    evidence = PortsRenamed(at, len(moves), tuple(pairs[:_SHOWN]))
    ports = {(switch, port) for pair in pairs for port in pair}
    details = Details(count=len(pairs), macs=tuple(one.mac for one in moves[:MAX_NAMED]))
    return _detection(switch, Cause.PORTS_RENAMED, details, evidence, ports, at)


def replaced(switch: str, before: MacAddress, after: MacAddress, at: datetime) -> Detection:
    evidence = OtherIdentity(at, before, after)
    return _detection(switch, Cause.OTHER_DEVICE, Details(macs=(before, after)), evidence, (), at)


def _detection(
    switch: str,
    cause: Cause,
    details: Details,
    evidence: Evidence,
    ports: Collection[tuple[str, str]],
    at: datetime,
) -> Detection:
    return Detection(
        kind=FindingKind.SWITCH_REPLACED,
        severity=Severity.WARNING,
        subject=Subject(switch=switch),
        cause=cause,
        details=details,
        evidence=(evidence,),
        first_at=at,
        last_at=at,
        ports=frozenset(ports),
    )
