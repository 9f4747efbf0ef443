"""The facts of the finding engine, from readings in memory."""

from collections import defaultdict, deque
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from statistics import median

from kiteroll.core.findings.address_view import PortFacts
from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.findings.kinds.silent_port import PortActivity, up_since
from kiteroll.core.findings.links_towards import Link
from kiteroll.core.findings.service_condition import ServiceCondition
from kiteroll.core.model.changes import Change
from kiteroll.core.model.link_change import LinkBefore, believed_ticks, seen_change
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper, Reading, mac_of
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.ip_history import IpHistory
from kiteroll.core.replay.stay_ledger import StayLedger
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts
from kiteroll.core.topology.neighbours import (
    FORWARDING,
    KnownSwitches,
    SwitchIdentity,
    is_switch,
    listed_twice,
    shut_ports,
)
from kiteroll.core.topology.refresh import TopologyRefresh
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting, sighting
from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth
from kiteroll.core.tracking.tracker import Tracker

_GAPS_KEPT = 5
"""The reading interval of a switch is the median of its last gaps."""


class MemoryFacts:
    """Implements `kiteroll.core.findings.facts.FactSource`. `now` is set by the replay."""

    def __init__(
        self,
        *,
        hold_time: timedelta | None,
        shared: Collection[str],
        rules: RuleBook,
        areas: Mapping[str, str] | None = None,
    ) -> None:
        self.tracker = Tracker(hold=hold_time)
        self.ledger = StayLedger()
        self.ips = IpHistory()
        self.now: datetime | None = None
        self._refresh = TopologyRefresh()
        self._shared = shared
        self._rules = rules
        self._areas = areas or {}
        self._latest: dict[str, Reading] = {}
        self._gaps_s: dict[str, deque[float]] = defaultdict(lambda: deque(maxlen=_GAPS_KEPT))
        self._intervals: dict[str, timedelta] = {}
        """As readings come; from the second of a switch on."""
        self._facts: TopologyFacts | None = None
        """What the latest readings say; None: not put together yet."""
        self._links: dict[PortRef, LinkBefore] = {}
        """As of the latest reading."""
        self._links_before: dict[PortRef, Oper] = {}
        """What a link was known to be before it became what it is."""
        self._outcome: dict[str, tuple[SwitchHealth, datetime]] = {}

    def apply(self, reading: Reading) -> tuple[Change, ...] | None:
        """Changes the reading brings; None when it is not later than the last one of its switch, and is
        ignored."""
        before = self._latest.get(reading.switch)
        if before is not None and reading.taken_at <= before.taken_at:
            return None
        changes = self.tracker.apply(reading)
        self.ledger.record(changes)
        self.ips.record(reading)
        for port in reading.ports:
            ref = (reading.switch, port.name)
            known = self._links.get(ref)
            since = known.since if known is not None and known.oper is port.oper else reading.taken_at
            if known is not None and known.oper not in (port.oper, Oper.UNKNOWN):
                self._links_before[ref] = known.oper
            ticks = believed_ticks(port, reading, known)
            self._links[ref] = LinkBefore(port.oper, since, ticks, reading.taken_at)
        if before is not None:
            gaps = self._gaps_s[reading.switch]
            gaps.append((reading.taken_at - before.taken_at).total_seconds())
            self._intervals[reading.switch] = timedelta(seconds=median(gaps))
        outcome = SwitchHealth.READ if reading.complete else SwitchHealth.PARTIAL
        if self._outcome.get(reading.switch, (None,))[0] is not outcome:
            self._outcome[reading.switch] = (outcome, reading.taken_at)
        self._latest[reading.switch] = reading
        self._facts = None
        return changes

    def knows(self, switch: str) -> bool:
        return switch in self._latest

    # --- what the engine asks -------------------------------------------------------------

    def topology(self, *, fresh: bool) -> Topology:
        if self.now is not None:
            self._refresh.refresh(self.now, self._topology_facts, self.tracker.tables, force=fresh)
        return self._refresh.snapshot.topology

    def topology_at(self) -> datetime | None:
        return self._refresh.facts_at

    def note_claims(self, ports: frozenset[PortRef]) -> None:
        self._refresh.claimed = ports

    def switches(self) -> Collection[str]:
        return self._latest.keys()

    def switch_addresses(self) -> Collection[MacAddress]:
        return {address for _, address in self._owners()}

    def conditions(self) -> Sequence[SwitchCondition]:
        return [
            self._condition(name, reading)
            for name, reading in self._latest.items()
            if name in self._intervals
        ]

    def service(self) -> ServiceCondition:
        return ServiceCondition()

    def table(self, switch: str) -> MacTable:
        return self.tracker.table(switch)

    def rules(self) -> RuleBook:
        return self._rules

    def shared_prefixes(self) -> Collection[str]:
        return self._shared

    def sightings(
        self, macs: Sequence[MacAddress], since: datetime
    ) -> Mapping[MacAddress, Sequence[Sighting]]:
        snapshot = self._refresh.snapshot
        return {
            mac: [
                sighting(
                    stay,
                    snapshot.topology,
                    address_count=snapshot.address_count((stay.place.switch, stay.place.port)),
                    newcomers=snapshot.newcomers.get((stay.place.switch, stay.place.port), 0),
                    read_at=self.tracker.checkpoint(stay.place.switch).last_complete_at,
                    ageing=self._latest[stay.place.switch].device.ageing,
                    interval=self._intervals.get(stay.place.switch),
                )
                for stay in self.ledger.stays_of(mac, since)
            ]
            for mac in macs
        }

    def port_facts(self, ports: Sequence[PortRef]) -> Mapping[PortRef, PortFacts]:
        found = {}
        for ref in ports:
            reading = self._latest[ref[0]]
            port = next((port for port in reading.ports if port.name == ref[1]), None)
            if port is not None:
                here = {mac_of(key) for key, number in reading.learned.items() if number == port.number}
                link = self._links[ref]
                reported = reading.changed_at(replace(port, changed_ticks=link.changed_ticks))
                changed_at = reported or seen_change(port.oper, self._links_before.get(ref), link.since)
                found[ref] = PortFacts(changed_at, reported or link.since, frozenset(here))
        return found

    def link_states(self, ports: Sequence[PortRef]) -> Mapping[PortRef, Link]:
        return {
            (name, port.name): (port.oper, self._links[name, port.name].since)
            for name, reading in self._latest.items()
            for port in reading.ports
            if (name, port.name) in ports
        }

    def at_several_ports(self, limit: int) -> Sequence[MacAddress]:
        return ()  # nothing was there before the first reading

    def port_activity(self, up_before: datetime, limit: int) -> Sequence[PortActivity]:
        found: list[PortActivity] = []
        for name, reading in self._latest.items():
            busy: set[int] | None = None
            for port in reading.ports:
                link = self._links[name, port.name]
                bundled = port.aggregate is not None
                since = up_since(
                    link.since, link.oper, admin_up=port.admin_up, bridged=port.bridged, bundled=bundled
                )
                if since is None or since > up_before:
                    continue
                if busy is None:
                    busy = set(self.tracker.table(name).learned.values())
                if port.number not in busy and len(found) < limit:
                    ref = (name, port.name)
                    found.append(
                        PortActivity(
                            switch=name,
                            port=port.name,
                            alias=port.alias,
                            up_since=since,
                            last_seen_at=self.ledger.last_seen_at(ref),
                            in_table=self.tracker.present(name),
                            read_since=self.tracker.checkpoint(name).read_since,
                        )
                    )
        return found

    def ip_turns(
        self, since: datetime, turns: int, limit: int
    ) -> Mapping[str, Sequence[tuple[datetime, MacAddress]]]:
        return self.ips.turns(since, turns, limit)

    def held_ips(self, before: datetime, max_ips: int, limit: int) -> Mapping[MacAddress, Sequence[HeldIp]]:
        return self.ips.held(before, max_ips, limit)

    # --- inside ---------------------------------------------------------------------------

    def _condition(self, name: str, reading: Reading) -> SwitchCondition:
        checkpoint = self.tracker.checkpoint(name)
        outcome, since = self._outcome[name]
        return SwitchCondition(
            name=name,
            interval=self._intervals[name],
            ageing=reading.device.ageing,
            last_outcome=outcome,
            outcome_since=since,
            read_at=checkpoint.last_complete_at,
            bridge_address=reading.device.bridge_address,
            learning_discards=checkpoint.learning_discards,
            discards_rose_at=checkpoint.discards_rose_at,
            present=self.tracker.present(name),
            drift=checkpoint.drift,
        )

    def _area(self, switch: str) -> str:
        return self._areas.get(switch, "")

    def _owners(self) -> dict[tuple[str, MacAddress], str]:
        """Switches by their areas and bridge addresses."""
        return {
            (self._area(name), reading.device.bridge_address): name
            for name, reading in self._latest.items()
            if reading.device.bridge_address is not None
        }

    def _topology_facts(self) -> TopologyFacts:
        if self._facts is None:
            self._facts = self._put_together()
        return self._facts

    def _put_together(self) -> TopologyFacts:
        known = KnownSwitches(
            SwitchIdentity(
                name=name, sys_name=reading.device.name, bridge_address=reading.device.bridge_address
            )
            for name, reading in self._latest.items()
        )
        owners = self._owners()
        seen: dict[PortRef, set[str]] = defaultdict(set)
        for name, reading in self._latest.items():
            names = reading.port_names()
            for key, number in reading.learned.items():
                owner = owners.get((self._area(name), mac_of(key)))
                if owner is not None and owner != name:
                    seen[name, names[number]].add(owner)
        ports = [(name, port) for name, reading in self._latest.items() for port in reading.ports]
        return TopologyFacts(
            switches=frozenset(self._latest),
            aggregates={(name, port.name): port.aggregate for name, port in ports if port.aggregate},
            pairs=listed_twice(
                (name, reading.device.bridge_address)
                for name, reading in self._latest.items()
                if reading.device.bridge_address is not None
            ),
            partners={(name, port.name): port.partner for name, port in ports if port.partner},
            blocked=shut_ports(
                (((name, port.name), port.spanning_tree) for name, port in ports),
                {name for name, port in ports if port.spanning_tree == FORWARDING},
            ),
            claims=tuple(
                NeighbourClaim(
                    (name, one.port),
                    known.match_neighbour(one, self._area(name)),
                    one.name or one.chassis,
                    is_switch(one.capabilities),
                    one.port_id,
                    one.port_description,
                    one.chassis,
                )
                for name, reading in self._latest.items()
                for one in reading.neighbours
            ),
            seen={port: frozenset(names) for port, names in seen.items()},
            shared=frozenset(self._shared),
            areas=self._areas,
        )
