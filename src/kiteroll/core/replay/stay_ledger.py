"""Stays in memory, as the tracker's changes give them; `kiteroll.store.stay_writer` keeps them in records."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime

from kiteroll.core.model.changes import Appeared, Awaited, Change, Gone, Moved, Quiet, Resumed, Returned
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Ending, Stay


class StayLedger:
    def __init__(self) -> None:
        self._stays: dict[int, Stay] = {}
        self._of: dict[MacAddress, list[int]] = defaultdict(list)
        self._last_seen: dict[PortRef, datetime] = {}

    def record(self, changes: Iterable[Change]) -> None:
        for change in changes:
            match change:
                case Appeared() | Moved():
                    self._stays[change.stay] = Stay(
                        id=change.stay,
                        mac=change.mac,
                        place=change.place,
                        began_at=change.at,
                        resumed_at=change.at,
                    )
                    self._of[change.mac].append(change.stay)
                    if isinstance(change, Moved):
                        self._end(change.ended, change.at, change.last_seen_at, Ending.MOVED)
                case Gone():
                    self._end(change.stay, change.at, change.last_seen_at, change.ending)
                case Quiet():
                    self._set(change.stay, last_seen_at=change.last_seen_at, quiet_at=change.at)
                case Awaited():
                    self._set(change.stay, last_seen_at=change.last_seen_at)
                case Returned() | Resumed():
                    self._set(change.stay, last_seen_at=None, quiet_at=None, resumed_at=change.at)

    def stays_of(self, mac: MacAddress, since: datetime) -> list[Stay]:
        """Open stays, and those that ended since then."""
        stays = (self._stays[number] for number in self._of.get(mac, ()))
        return [stay for stay in stays if stay.ended_at is None or stay.ended_at >= since]

    def all_stays(self) -> list[Stay]:
        return list(self._stays.values())

    def knows(self, mac: MacAddress) -> bool:
        """Whether it ever was anywhere."""
        return mac in self._of

    def macs(self) -> list[MacAddress]:
        return list(self._of)

    def last_seen_at(self, port: PortRef) -> datetime | None:
        """When an address that is no longer present was last there."""
        return self._last_seen.get(port)

    def _end(self, number: int, at: datetime, seen_at: datetime, ending: Ending) -> None:
        self._set(number, ended_at=at, last_seen_at=seen_at, ending=ending)

    def _set(self, number: int, **values: object) -> None:
        stay = self._stays[number] = replace(self._stays[number], **values)  # type: ignore[arg-type]
        if stay.last_seen_at is not None:
            port = (stay.place.switch, stay.place.port)
            self._last_seen[port] = max(stay.last_seen_at, self._last_seen.get(port, stay.last_seen_at))
