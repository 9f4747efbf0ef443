"""Readings played through all the rules, in memory: what would have been known, and when.

The same rules as the service runs on its records, on stays kept here instead. For accuracy
benchmarks, for tests over random networks, and for asking what other thresholds would have said.
"""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.core.changes import (
    Appeared,
    Awaited,
    Change,
    Gone,
    Moved,
    Quiet,
    Restarted,
    Resumed,
    Returned,
)
from kiteroll.core.findings.addresses import WAIT, PortFacts, judge, shared_by_design
from kiteroll.core.findings.model import Sign, Thresholds
from kiteroll.core.findings.rolls import breaches
from kiteroll.core.findings.standing import restarted
from kiteroll.core.findings.storms import Storms
from kiteroll.core.home import Home, Sighting, choose_home, sighting
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Oper, Reading, mac_of
from kiteroll.core.rules import RuleBook
from kiteroll.core.stay import Ending, Stay
from kiteroll.core.topology import At, Facts, Told, Topology, crowds, infer
from kiteroll.core.tracker import Tracker

_INFER_EVERY = timedelta(seconds=30)
"""Cables do not change with every reading; working out anew where they lead costs most of a replay."""


class Ledger:
    """Stays as the changes tell them, by address."""

    def __init__(self) -> None:
        self._stays: dict[int, Stay] = {}
        self._of: dict[MacAddress, list[int]] = defaultdict(list)

    def take(self, changes: tuple[Change, ...]) -> None:
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

    def _end(self, number: int, at: datetime, seen_at: datetime, ending: Ending) -> None:
        self._set(number, ended_at=at, last_seen_at=seen_at, ending=ending)

    def _set(self, number: int, **values: object) -> None:
        self._stays[number] = replace(self._stays[number], **values)  # type: ignore[arg-type]


class Replay:
    def __init__(
        self,
        limits: Thresholds | None = None,
        *,
        hold: timedelta | None = None,
        shared: frozenset[str] = frozenset(),
        rules: RuleBook | None = None,
    ) -> None:
        self.limits = limits or Thresholds()
        self.tracker = Tracker(hold=hold)
        self.ledger = Ledger()
        self._shared = shared
        self._rules = rules or RuleBook()
        self._latest: dict[str, Reading] = {}
        self._oper: dict[At, tuple[Oper, datetime]] = {}
        self._storms = Storms(self.limits)
        self._topology: Topology | None = None
        self._inferred_at: datetime | None = None
        self._watched: set[MacAddress] = set()

    def take(self, reading: Reading) -> list[Sign]:
        """One reading; returns what the rules say after it."""
        first = reading.switch not in self._latest
        changes = self.tracker.apply(reading)
        self.ledger.take(changes)
        for port in reading.ports:
            at = (reading.switch, port.name)
            known = self._oper.get(at)
            if known is None or known[0] is not port.oper:
                self._oper[at] = (port.oper, reading.taken_at)
        self._latest[reading.switch] = reading
        if first or self._inferred_at is None or reading.taken_at - self._inferred_at >= _INFER_EVERY:
            self._topology = None
            self._inferred_at = reading.taken_at
        if first:
            return []
        now = reading.taken_at
        signs = self._storms.take(
            reading.switch, changes, reading.device.topology_changes, self.topology(), now
        )
        signs += [restarted(change) for change in changes if isinstance(change, Restarted)]
        macs = {
            change.mac for change in changes if isinstance(change, Appeared | Moved | Gone | Quiet | Returned)
        }
        return [*signs, *self._breaches(reading.switch, now), *self._judge(macs | self._watched, now)]

    def topology(self) -> Topology:
        if self._topology is None:
            self._topology = infer(self._facts())
        return self._topology

    def home_of(self, mac: MacAddress, now: datetime) -> Home:
        return choose_home(self._sightings(mac, now))

    def _breaches(self, switch: str, now: datetime) -> list[Sign]:
        if not self._rules.concerns(switch):
            return []
        leads_to = self.topology().leads_to
        broken = breaches(
            switch,
            self.tracker.table(switch),
            self._rules,
            exempt=lambda at: bool(leads_to(at)),
            switches=self._bridge_addresses(),
            now=now,
        )
        return list(broken)

    def _judge(self, macs: set[MacAddress], now: datetime) -> list[Sign]:
        signs = []
        for mac in sorted(macs):
            seen = self._sightings(mac, now - self.limits.window)
            if sum(one.present and not one.uplink for one in seen) > 1:
                self._watched.add(mac)
            else:
                self._watched.discard(mac)
            if shared_by_design(mac, self._shared):
                continue
            sign = judge(mac, seen, lambda at, mac=mac: self._port_facts(at, mac), self.limits, now)  # type: ignore[misc]
            if isinstance(sign, Sign):
                signs.append(sign)
            elif sign is WAIT:
                self._watched.add(mac)
        return signs

    def _sightings(self, mac: MacAddress, since: datetime) -> list[Sighting]:
        topology, crowd = self.topology(), self._crowds()
        return [
            sighting(
                stay,
                topology,
                crowd=max(1, crowd.get((stay.place.switch, stay.place.port), 1)),
                read_at=self.tracker.marks(stay.place.switch).last_complete_at,
                ageing=self._latest[stay.place.switch].device.ageing,
            )
            for stay in self.ledger.stays_of(mac, since)
        ]

    def _crowds(self) -> Mapping[At, int]:
        if self._crowd_of is not self._topology:
            self._crowd = crowds(self.tracker.tables())
            self._crowd_of = self._topology
        return self._crowd

    _crowd_of: Topology | None = None
    _crowd: Mapping[At, int] = {}

    def _port_facts(self, at: At, mac: MacAddress) -> PortFacts:
        reading = self._latest.get(at[0])
        port = next((port for port in reading.ports if port.name == at[1]), None) if reading else None
        if reading is None or port is None:
            return PortFacts()
        others = {mac_of(key) for key, there in reading.learned.items() if there == port.number} - {mac}
        return PortFacts(reading.changed_at(port) or self._oper[at][1], frozenset(others))

    def _bridge_addresses(self) -> dict[MacAddress, str]:
        return {
            reading.device.bridge_address: name
            for name, reading in self._latest.items()
            if reading.device.bridge_address is not None
        }

    def _facts(self) -> Facts:
        own = self._bridge_addresses()
        told = []
        seen: dict[At, set[str]] = defaultdict(set)
        for name, reading in self._latest.items():
            for one in reading.neighbours:
                known = own.get(one.chassis_mac) if one.chassis_mac is not None else None
                told.append(Told((name, one.port), known, one.name, "bridge" in one.capabilities))
            names = reading.port_names()
            for key, number in reading.learned.items():
                other = own.get(mac_of(key))
                if other is not None and other != name:
                    seen[name, names[number]].add(other)
        return Facts(
            switches=frozenset(self._latest),
            told=told,
            seen={at: frozenset(names) for at, names in seen.items()},
            tables=self.tracker.tables(),
        )
