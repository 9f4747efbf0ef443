"""Raises findings: gathers what readings changed, asks the rules, keeps what they say.

Runs beside the intake, never in its way: readings are noted in memory, and a few times a minute
the rules look at the addresses and switches concerned. Judging needs the records only, so after a
restart nothing is lost but the seconds in between.
"""

import asyncio
import json
import logging
import threading
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from kiteroll.collect.rounds import Attempt
from kiteroll.core.changes import Appeared, Change, Gone, Moved, Quiet, Restarted, Returned
from kiteroll.core.errors import KiteRollError, NotFound
from kiteroll.core.findings.addresses import WAIT, WATCH_FOR, Facts, PortFacts, judge, shared_by_design
from kiteroll.core.findings.book import FindingBook
from kiteroll.core.findings.ips import MOST_IPS, HeldIp, contested, several
from kiteroll.core.findings.model import Finding, Kind, Sign, Thresholds
from kiteroll.core.findings.standing import SwitchFacts, restarted, standing
from kiteroll.core.findings.storms import Storms
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Reading
from kiteroll.core.topology import At
from kiteroll.service.answers import sighting_of
from kiteroll.service.answers_of_switches import watched
from kiteroll.service.hub import Event
from kiteroll.service.logs import fields
from kiteroll.service.rolls import Rolls
from kiteroll.store import findings, inventory, judging
from kiteroll.store.inventory import SwitchRow

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)
_STEP_S = 1.0
_STANDING_EVERY = timedelta(seconds=10)
_TWICE_EVERY = timedelta(minutes=10)
_IPS_EVERY = timedelta(seconds=20)
_MOST_ADDRESSES = 5_000
"""Addresses judged in one step; more wait for the next."""
_MOST_NOTED = 10_000
_MOST_PORTS = 500
_IP_TURNS = 3


class Watchman:
    def __init__(self, service: "Service", limits: Thresholds) -> None:
        self._service = service
        self.limits = limits
        self._lock = threading.Lock()
        self._noted: list[tuple[Attempt, tuple[Change, ...]]] = []
        self._waiting: dict[MacAddress, datetime] = {}
        """Addresses to judge, and until when they are judged again and again."""
        self._unkept: dict[str, Finding] = {}
        """Findings that changed while the database was away, by key."""
        self._storms = Storms(limits)
        self._rolls = Rolls(service)
        self._standing_at: datetime | None = None
        self._twice_at: datetime | None = None
        self._held: dict[MacAddress, list[HeldIp]] = {}
        """Addresses with several IPs, as of `_held_at`."""
        self._held_at: datetime | None = None
        self.book = FindingBook(limits)

    def load(self) -> None:
        """Take up the findings that are not cleared."""
        database = self._service.database
        self.book = FindingBook(self.limits, database.run(findings.live_findings))

    def note(self, attempt: Attempt, changes: Sequence[Change]) -> None:
        """What a reading changed. Called in the intake's thread; returns at once."""
        if not isinstance(attempt.outcome, Reading):
            return
        with self._lock:
            if len(self._noted) < _MOST_NOTED:
                self._noted.append((attempt, tuple(changes)))

    async def run(self) -> None:
        clock = self._service.clock
        while True:
            await clock.sleep(_STEP_S)
            try:
                changed = await asyncio.to_thread(self.step, clock.now())
            except KiteRollError as away:
                log.warning("findings wait", extra=fields("findings.wait", error=str(away)))
            else:
                self._tell(changed)

    def step(self, now: datetime) -> list[Finding]:
        """Judge what is due; returns the findings that changed, kept. Raises StorageUnavailable."""
        with self._lock:
            noted, self._noted = self._noted, []
            if any(attempt.first for attempt, _ in noted):
                # A picture without the new switches would take their uplinks for access ports.
                self._service.topology.look(anew=True)
            self._rolls.look((attempt.name for attempt, _ in noted), now)
            signs = [*self._from_readings(noted, now), *self._from_addresses(now)]
            if self._standing_at is None or now - self._standing_at >= _STANDING_EVERY:
                signs += self._from_standing(now)
                self._standing_at = now
            changed = [*self._take(signs), *self.book.tick(now)]
            self._unkept |= {one.key: one for one in changed}
            self._service.database.run(findings.keep_findings, list(self._unkept.values()))
            self._unkept.clear()
        return changed

    def acknowledge(self, number: int, by: str, note: str, until: datetime | None) -> Finding:
        """Raises NotFound when there is no such finding, or it is cleared."""
        row = self._service.database.run(findings.get_finding, number)
        with self._lock:
            found = self.book.acknowledge(row.finding.key, by, note, until)
            return self._kept(number, found)

    def clear(self, number: int, by: str) -> Finding:
        """Raises NotFound when there is no such finding, or it is cleared already."""
        row = self._service.database.run(findings.get_finding, number)
        with self._lock:
            found = self.book.clear(row.finding.key, by, self._service.clock.now())
            return self._kept(number, found)

    def _kept(self, number: int, found: Finding | None) -> Finding:
        if found is None:
            raise NotFound("open finding", str(number), "it is cleared; it reopens when it comes again")
        self._service.database.run(findings.keep_findings, [found])
        self._tell([found])
        return found

    # --- what the rules say ---------------------------------------------------------------

    def _from_readings(
        self, noted: Iterable[tuple[Attempt, tuple[Change, ...]]], now: datetime
    ) -> list[Sign]:
        signs: list[Sign] = []
        topology = self._service.topology.get().topology
        for attempt, changes in noted:
            reading = attempt.outcome
            if not isinstance(reading, Reading) or attempt.first:
                continue  # everybody appears in a first reading: that is no news
            signs += self._storms.take(
                attempt.name, changes, reading.device.topology_changes, topology, reading.taken_at
            )
            for change in changes:
                match change:
                    case Appeared() | Moved() | Gone() | Quiet() | Returned():
                        self._waiting.setdefault(change.mac, now)
                    case Restarted():
                        signs.append(restarted(change))
        return signs

    def _from_addresses(self, now: datetime) -> list[Sign]:
        service = self._service
        macs = list(self._waiting)[:_MOST_ADDRESSES]
        if not macs:
            return []
        since = now - self.limits.window
        shared = frozenset(service.database.run(judging.shared_addresses))
        stays = service.database.run(judging.recent_stays, macs, since)
        layout = service.topology.get()
        sightings = {mac: [sighting_of(row, layout) for row in rows] for mac, rows in stays.items()}
        places = {
            (one.stay.place.switch, one.stay.place.port)
            for each in sightings.values()
            if len(each) > 1
            for one in each
            if not one.uplink
        }
        facts = service.database.run(judging.port_facts, sorted(places))
        signs = []
        for mac in macs:
            until = self._waiting.pop(mac)
            seen = sightings.get(mac, [])
            twice = sum(one.present and not one.uplink for one in seen) > 1
            if not shared_by_design(mac, shared):
                sign = judge(mac, seen, _facts_without(facts, mac), self.limits, now)
                if isinstance(sign, Sign):
                    signs.append(sign)
                    concerned = (
                        (one.stay.place.switch, one.stay.place.vlan) for one in seen if not one.uplink
                    )
                    service.focus.begin(mac, concerned)
                twice = twice or sign is WAIT
            if twice and now < until + WATCH_FOR:
                self._waiting[mac] = until
        return signs

    def _from_standing(self, now: datetime) -> list[Sign]:
        database, service = self._service.database, self._service
        rows = database.run(inventory.all_switches)
        ports = database.run(judging.quiet_ports, now - self.limits.silent_after, _MOST_PORTS)
        layout = service.topology.get()
        ports = [one for one in ports if not layout.topology.leads_to((one.switch, one.port))]
        switches = [_switch_facts(row, service.present(row), now) for row in rows]
        turns = database.run(judging.contested_ips, now - self.limits.ip_window, _IP_TURNS, _MOST_PORTS)
        if self._twice_at is None or now - self._twice_at >= _TWICE_EVERY:
            # What changes is looked at anyway; this finds those that were at two places before a start.
            for mac in database.run(judging.at_two_places, sorted(layout.uplink_ids), _MOST_ADDRESSES):
                self._waiting.setdefault(mac, now)
            self._twice_at = now
        self._rolls.renew(now)
        signs = [
            *standing(switches, ports, self.limits, now),
            *self._rolls.signs(now, self.limits.rule_after),
        ]
        signs += [sign for ip, each in turns.items() for sign in contested(ip, each)]
        if self._held_at is None or now - self._held_at >= _IPS_EVERY:
            before = now - self.limits.ips_after
            self._held = database.run(judging.held_ips, before, MOST_IPS, _MOST_ADDRESSES)
            self._held_at = now
        return signs + self._several(frozenset(row.bridge_address for row in rows), now)

    def _several(self, own: frozenset[MacAddress | None], now: datetime) -> list[Sign]:
        """`own`: addresses of switches, which answer with as many IPs as they have VLANs."""
        if not self._held:
            return []
        shared = frozenset(self._service.database.run(judging.shared_addresses))
        return [
            sign
            for mac, held in self._held.items()
            if mac not in own and not shared_by_design(mac, shared)
            for sign in several(mac, held, self.limits, now)
        ]

    def _take(self, signs: Sequence[Sign]) -> list[Finding]:
        # What explains others goes first, so that they open as part of it.
        ordered = sorted(signs, key=lambda sign: sign.kind not in (Kind.LOOP, Kind.FLOOD))
        unknown = [sign.key for sign in ordered if sign.key not in self.book.live()]
        before = self._service.database.run(findings.by_keys, unknown)
        changed: dict[str, Finding] = {}
        for sign in ordered:
            known = before.get(sign.key)
            for found in self.book.take(sign, None if known is None else known.finding):
                changed[found.key] = found
        return list(changed.values())

    def _tell(self, changed: Sequence[Finding]) -> None:
        for one in changed:
            if one.state.value == "open" and one.opened_at == one.last_at:
                log.warning(
                    "finding",
                    extra=fields("finding.open", kind=one.kind.value, title=one.title, cause=one.cause),
                )
            said = {"kind": one.kind.value, "state": one.state.value, "title": one.title}
            self._service.hub.publish(Event("finding", json.dumps(said)))


def _facts_without(facts: Mapping[At, PortFacts], mac: MacAddress) -> Facts:
    """Facts of ports with the other addresses there: the one that is judged does not count."""

    def of(at: At) -> PortFacts:
        known = facts.get(at, PortFacts())
        return replace(known, others=known.others - {mac})

    return of


def _switch_facts(row: SwitchRow, present: int, now: datetime) -> SwitchFacts:
    facts = watched(row, present)
    return SwitchFacts(
        name=row.name,
        health=row.health,
        health_since=row.health_since,
        error=row.error or "",
        interval=facts.interval,
        ageing=facts.ageing,
        present=present,
        table_size=row.table_size,
        discards_rose_at=row.discards_rose_at,
        late_since=facts.late_since if row.health in ("read", "partial") and facts.late(now) else None,
    )
