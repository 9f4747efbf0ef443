"""Counts changes by the hour as they come. Those at uplinks are not counted: there, every address of the
network comes and goes as switches forget and learn it."""

import threading
from collections import Counter
from collections.abc import Callable, Sequence
from datetime import datetime
from operator import attrgetter

from kiteroll.app.events import AddressProbed, ChangesCounted, EventBus, ReadingStored
from kiteroll.core.model.changes import KINDS, Change, ChangeKind, Restarted
from kiteroll.core.model.port_ref import PortRef
from kiteroll.store.database import Database
from kiteroll.store.hours import add_changes, hour_at

_WHEN_AND_WHERE = attrgetter("at", "place.port")


class ChangeCounts:
    def __init__(self, database: Database, bus: EventBus, is_uplink: Callable[[PortRef], bool]) -> None:
        self._database = database
        self._bus = bus
        self._is_uplink = is_uplink
        self._lock = threading.Lock()
        self._new: Counter[tuple[datetime, PortRef | None, type[Change]]] = Counter()
        """Not recorded yet, by hour, port and class; a whole switch has no port."""
        bus.subscribe(ReadingStored, lambda event: self._count(event.switch, event.changes))
        bus.subscribe(AddressProbed, lambda event: self._count(event.switch, event.changes))

    def record(self) -> None:
        """Ports are judged now: what a new one is for shows some seconds after its first addresses. Raises
        StorageUnavailable; then nothing is lost."""
        with self._lock:
            new, self._new = self._new, Counter()
        hours: Counter[datetime] = Counter()
        kinds: Counter[ChangeKind] = Counter()
        for (hour, port, what), count in new.items():
            if port is None or not self._is_uplink(port):
                hours[hour] += count
                kinds[KINDS[what]] += count
        try:
            self._database.run(add_changes, hours)
        except BaseException:
            with self._lock:
                self._new.update(new)
            raise
        self._bus.publish(ChangesCounted(kinds))

    def _count(self, switch: str, changes: Sequence[Change]) -> None:
        # A table may change throughout: whoever published waits for this.
        shown = [change for change in changes if type(change) in KINDS]
        moving = [change for change in shown if type(change) is not Restarted]
        places = Counter(zip(map(_WHEN_AND_WHERE, moving), map(type, moving), strict=True))
        with self._lock:
            for ((at, port), what), count in places.items():
                self._new[hour_at(at), (switch, port), what] += count
            for restart in (one for one in shown if type(one) is Restarted):
                self._new[hour_at(restart.at), None, Restarted] += 1
