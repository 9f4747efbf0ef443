"""Which switches were connected of late, however a network is torn at this moment."""

from datetime import datetime, timedelta

from kiteroll.core.topology.roles import Topology

_KEPT = timedelta(minutes=15)


class _Groups:
    """Names in groups that only ever grow."""

    def __init__(self) -> None:
        self._next: dict[str, str] = {}

    def join(self, one: str, other: str) -> None:
        self._next[self.first(one)] = self.first(other)

    def first(self, name: str) -> str:
        first = name
        while (following := self._next.get(first, first)) != first:
            first = following
        while name != first:  # the way is short from now on
            self._next[name], name = first, self._next[name]
        return first


class LatelyConnected:
    """What topologies of the last half hour at most say together."""

    def __init__(self) -> None:
        self._groups: list[_Groups] = [_Groups()]
        self._began: datetime | None = None
        self._last: Topology | None = None

    def note(self, topology: Topology, now: datetime) -> None:
        if self._began is None or now - self._began > _KEPT:
            self._groups = [_Groups(), *self._groups[:1]]
            self._began, self._last = now, None
        if topology is self._last:
            return
        self._last = topology
        for (switch, _), far in topology.links():
            self._groups[0].join(switch, far if isinstance(far, str) else far[0])

    def joined(self, one: str, other: str) -> bool:
        return any(groups.first(one) == groups.first(other) for groups in self._groups)
