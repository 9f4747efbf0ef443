"""Addresses to classify: those that changed, and those that must be asked about again.

An address at two places, or one whose links are not known yet, is asked about again when a switch it
is at was read, or when its time has come; not at every step.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import islice

from kiteroll.core.model.mac import MacAddress

WATCH_FOR = timedelta(minutes=30)
"""An address at two places is asked about again for this long."""


@dataclass(frozen=True, slots=True)
class _Watched:
    until: datetime
    wake_at: datetime | None
    switches: frozenset[str]


class AddressWatch:
    def __init__(self) -> None:
        self._due: dict[MacAddress, None] = {}
        """In order of arrival."""
        self._watched: dict[MacAddress, _Watched] = {}
        self._by_switch: dict[str, set[MacAddress]] = defaultdict(set)

    def add(self, macs: Iterable[MacAddress]) -> None:
        self._due.update(dict.fromkeys(macs))

    def switch_read(self, switch: str) -> None:
        """Its latest reading may settle what was open."""
        self.add(sorted(self._by_switch.get(switch, ())))

    def wake(self, now: datetime) -> None:
        """What was to be asked about again by now."""
        self.add(mac for mac, one in self._watched.items() if one.wake_at is not None and one.wake_at <= now)

    def due(self, limit: int) -> list[MacAddress]:
        """At most so many of those to classify now; they stay due until `settle`."""
        return list(islice(self._due, limit))

    def settle(self, mac: MacAddress) -> None:
        """It was classified, and nothing is open."""
        self._due.pop(mac, None)
        watched = self._watched.pop(mac, None)
        if watched is not None:
            for switch in watched.switches:
                self._by_switch[switch].discard(mac)

    def recheck(
        self, mac: MacAddress, switches: Collection[str], now: datetime, wake_at: datetime | None = None
    ) -> None:
        """It was classified, and may be classified otherwise when one of these switches was read, or at
        `wake_at`; given up half an hour after it first was so."""
        before = self._watched.get(mac)
        until = before.until if before is not None else now + WATCH_FOR
        self.settle(mac)
        if now >= until:
            return
        self._watched[mac] = _Watched(until, wake_at, frozenset(switches))
        for switch in switches:
            self._by_switch[switch].add(mac)

    def backlog(self) -> bool:
        return bool(self._due)

    def next_wake(self) -> datetime | None:
        return min((one.wake_at for one in self._watched.values() if one.wake_at is not None), default=None)
