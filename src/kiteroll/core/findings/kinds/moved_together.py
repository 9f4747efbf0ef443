"""Moved together: several addresses went from one port to the same other one within minutes.

An access point, a small switch or a host with virtual machines was plugged in elsewhere, or its clients went
over: one event, which is reported once.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import datetime

from kiteroll.core.findings.evidence import ManyMoved
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
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef

INFO = KindInfo(
    kind=FindingKind.MOVED_TOGETHER,
    thresholds=("moved_together", "flap_window"),
    explains=frozenset({FindingKind.MOVED}),
    help=KindHelp(
        title="Several endpoints moved together",
        why="Something that carries them was plugged in elsewhere, or they changed from one access point to "
        "another: one event, not one for each of them.",
        evidence="Within minutes, several addresses went from one access port to the same other one.",
        action="Nothing, if it was meant. Otherwise ask who moved the access point or the small switch.",
        fewer="Raise findings.moved_together where clients roam in groups.",
    ),
)
Pair = tuple[PortRef, PortRef]


class MovesTogether:
    """Keeps the moves of the last minutes by where they went from and to."""

    def __init__(self, thresholds: Thresholds) -> None:
        self._thresholds = thresholds
        self._moves: dict[Pair, dict[MacAddress, datetime]] = defaultdict(dict)
        self._grew: set[Pair] = set()

    def note(self, detections: Iterable[Detection]) -> None:
        for one in detections:
            if one.kind is FindingKind.MOVED and one.subject.mac is not None:
                pair = (one.details.ports[0], one.details.ports[-1])
                if self._moves[pair].get(one.subject.mac) != one.last_at:
                    self._moves[pair][one.subject.mac] = one.last_at
                    self._grew.add(pair)

    def detect(self, now: datetime) -> Iterator[Detection]:
        since = now - self._thresholds.flap_window
        for pair in list(self._moves):
            moves = {mac: at for mac, at in self._moves[pair].items() if at >= since}
            if not moves:
                del self._moves[pair]
                continue
            self._moves[pair] = moves
            if pair in self._grew and len(moves) >= self._thresholds.moved_together:
                yield _detection(pair, moves)
        self._grew.clear()


def _detection(pair: Pair, moves: dict[MacAddress, datetime]) -> Detection:
    origin, target = pair
    last_at = max(moves.values())
    return Detection(
        kind=FindingKind.MOVED_TOGETHER,
        severity=Severity.NOTE,
        subject=Subject(switch=target[0], port=target[1]),
        cause=Cause.CARRIER_MOVED,
        details=Details(ports=pair, macs=tuple(sorted(moves)[:MAX_NAMED]), count=len(moves)),
        evidence=(ManyMoved(last_at, len(moves), origin, target),),
        first_at=min(moves.values()),
        last_at=last_at,
        ports=frozenset(pair),
    )
