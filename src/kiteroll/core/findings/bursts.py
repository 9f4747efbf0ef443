"""The jumps and arrivals of the last minutes, switch by switch: what loops and floods are judged by."""

from collections import defaultdict, deque
from collections.abc import Collection, Container, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.changes import Appeared, Change, Gone, Moved
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Ending

_MAX_KEPT = 20_000
"""Changes of one switch that are kept to judge by."""


@dataclass(frozen=True, slots=True)
class Step:
    at: datetime
    mac: MacAddress
    origin: str
    """Port it came from; empty: it is new on the switch."""
    to: str
    unknown: bool = False
    """No switch had the address before."""
    cut_off_at: str = ""
    """Of one that is new: the port it was at minutes ago, whose link went down."""


class BurstHistory:
    def __init__(self, window: timedelta) -> None:
        self._window = window
        self._steps: dict[str, deque[Step]] = defaultdict(lambda: deque(maxlen=_MAX_KEPT))
        self._cut_off: dict[str, dict[tuple[MacAddress, int | None], Gone]] = defaultdict(dict)
        self._topology_changes: dict[str, int] = {}
        self._rose: dict[str, bool] = {}

    def add(
        self,
        switch: str,
        changes: Iterable[Change],
        topology_changes: int | None,
        at: datetime,
        unknown: Container[MacAddress] = (),
    ) -> None:
        """`topology_changes`: the switch's count of spanning-tree changes (dot1dStpTopChanges). `unknown`:
        addresses that no switch had before."""
        steps = self._steps[switch]
        for change in changes:
            match change:
                case Moved():
                    steps.append(Step(change.at, change.mac, change.origin.port, change.place.port))
                case Appeared():
                    gone = self._cut_off[switch].pop((change.mac, change.place.vlan), None)
                    new, left = change.mac in unknown, "" if gone is None else gone.place.port
                    steps.append(Step(change.at, change.mac, "", change.place.port, new, left))
                case Gone(ending=Ending.PORT_DOWN):
                    self._cut_off[switch][change.mac, change.place.vlan] = change
        while steps and at - steps[0].at > self._window:
            steps.popleft()
        if cut_off := self._cut_off.get(switch):
            self._cut_off[switch] = {key: one for key, one in cut_off.items() if at - one.at <= self._window}
        before = self._topology_changes.get(switch)
        if topology_changes is not None:
            self._topology_changes[switch] = topology_changes
        self._rose[switch] = before is not None and topology_changes is not None and topology_changes > before

    def steps(self, switch: str) -> list[Step]:
        return list(self._steps.get(switch, ()))

    def topology_changed(self, switch: str) -> bool:
        """Whether its count of spanning-tree changes rose with its last reading."""
        return self._rose.get(switch, False)

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for switch in self._steps.keys() - set(switches):
            for kept in (self._steps, self._cut_off, self._topology_changes, self._rose):
                kept.pop(switch, None)
