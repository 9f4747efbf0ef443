"""Counts changes by the hour as they come. Those at uplinks are not counted: there, every address of the
network comes and goes as switches forget and learn it."""

import threading
from collections import Counter
from collections.abc import Callable, Sequence
from datetime import datetime
from operator import attrgetter

from kiteroll.app.events import AddressProbed, EventBus, ReadingStored
from kiteroll.core.model.changes import KINDS, Change, Restarted
from kiteroll.core.model.port_ref import PortRef
from kiteroll.store.database import Database
from kiteroll.store.hours import add_changes, hour_at

_WHEN_AND_WHERE = attrgetter("at", "place.port")


class ChangeCounts:
    def __init__(self, database: Database, bus: EventBus, is_uplink: Callable[[PortRef], bool]) -> None:
        self._database = database
        self._is_uplink = is_uplink
        self._lock = threading.Lock()
        self._new: Counter[tuple[datetime, PortRef | None]] = Counter()
        """Not recorded yet, by hour and port; None: of a whole switch."""
        bus.subscribe(ReadingStored, lambda event: self._count(event.switch, event.changes))
        bus.subscribe(AddressProbed, lambda event: self._count(event.switch, event.changes))

    def record(self) -> None:
        """Ports are judged now: what a new one is for shows some seconds after its first addresses. Raises
        StorageUnavailable; then nothing is lost."""
        with self._lock:
            new, self._new = self._new, Counter()
        hours: Counter[datetime] = Counter()
        for (hour, port), count in new.items():
            if port is None or not self._is_uplink(port):
                hours[hour] += count
        try:
            self._database.run(add_changes, hours)
        except BaseException:
            with self._lock:
                self._new.update(new)
            raise

    def _count(self, switch: str, changes: Sequence[Change]) -> None:
        # A table may change throughout: whoever published waits for this.
        shown = [change for change in changes if type(change) in KINDS]
        places = Counter(map(_WHEN_AND_WHERE, (one for one in shown if type(one) is not Restarted)))
        with self._lock:
            for (at, port), count in places.items():
                self._new[hour_at(at), (switch, port)] += count
            for restart in (one for one in shown if type(one) is Restarted):
                self._new[hour_at(restart.at), None] += 1
