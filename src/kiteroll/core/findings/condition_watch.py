"""How things are, looked at every few seconds: switches, silent ports, IPs, and the service itself."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime, timedelta

from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import (
    ageing_too_long,
    ageing_too_short,
    alerts_not_delivered,
    certificate_ends,
    closing_stopped,
    database_away,
    disk_filling,
    ip_conflict,
    multiple_ips,
    port_closed,
    readings_dropped,
    readings_refused,
    silent_port,
    site_not_read,
    switch_not_read,
    switches_late,
    table_filling,
    worker_failed,
)
from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.findings.lasting import LastingConditions
from kiteroll.core.findings.links_towards import LinksTowards
from kiteroll.core.findings.service_condition import ServiceCondition
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.topology.cut_off import cut_off
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import LATE_AFTER_INTERVALS, SwitchCondition, SwitchHealth

CONDITIONS_EVERY = timedelta(seconds=10)
_ANSWERED = frozenset({SwitchHealth.READ, SwitchHealth.PARTIAL, SwitchHealth.REFUSED})
_HELD_IPS_EVERY = timedelta(seconds=20)
_MAX_ADDRESSES = 5_000
"""Asked about at once."""
_MAX_PORTS = 500
_IMPORTED_WITHIN = timedelta(minutes=3)
"""After a start: what came into the folder meanwhile."""


def had_time(switch: SwitchCondition, began_at: datetime, now: datetime) -> bool:
    """Whether a switch that is late could have been read since the watch began: while the service was away,
    nobody read it. Whose readings are imported has missed none: they wait until they are."""
    if switch.health(now) is not SwitchHealth.LATE:
        return True
    return now - began_at > (LATE_AFTER_INTERVALS * switch.interval if switch.polled else _IMPORTED_WITHIN)


class ConditionWatch:
    def __init__(self, thresholds: Thresholds) -> None:
        self._thresholds = thresholds
        self._odd_ageing = LastingConditions()
        self._links_towards = LinksTowards()
        self._looked_at: datetime | None = None
        self._began_at: datetime | None = None
        self._held_ips: Mapping[MacAddress, Sequence[HeldIp]] = {}
        self._held_ips_at: datetime | None = None
        self.switches: Mapping[str, SwitchCondition] = {}
        """How those of the inventory were doing when it looked last, by name."""

    def due(self, now: datetime) -> bool:
        return self._looked_at is None or now - self._looked_at >= CONDITIONS_EVERY

    def next_wake(self, now: datetime) -> datetime:
        return (self._looked_at or now) + CONDITIONS_EVERY

    def round_complete(self, now: datetime) -> None:
        """All that is to be looked at this time was, and nothing cut it off."""
        self._looked_at = now

    def detect(
        self,
        facts: FactSource,
        topology: Topology,
        now: datetime,
        loops: Sequence[tuple[datetime, datetime]] = (),
        not_read: Collection[str] = (),
        silent: Collection[PortRef] = (),
    ) -> list[Detection]:
        """`loops`: when each that is not cleared began, and when it showed last; `not_read`: switches that
        are reported already, perhaps since before a start; `silent`: ports that are, likewise."""
        thresholds = self._thresholds
        conditions, service = facts.conditions(), facts.service()
        self.switches = {one.name: one for one in conditions}
        # Of a site whose readings are on their way nothing is known yet: the site itself is reported.
        late_sites = {one.site for one in service.sites if not one.up_to_date}
        began_at = self._began_at = self._began_at or now
        current = [one for one in conditions if one.site not in late_sites]
        heard = [one for one in current if one.name in not_read or had_time(one, began_at, now)]
        unheard, answering = _unheard_and_answering(current)
        behind = cut_off(topology, unheard.keys(), answering.keys())
        hides = Counter(behind.values())
        alone = [one for name, one in unheard.items() if name not in behind]
        links = self._links_towards.look(topology, alone, facts.link_states, answering)
        # A switch that was late when the last note of its site was made: not one whose reader was away since.
        as_of = {one.site: one.as_of for one in service.sites if one.as_of is not None}
        detections = [
            detection
            for switch in heard
            for detection in (
                switch_not_read.detect(
                    switch,
                    as_of.get(switch.site, now),
                    behind.get(switch.name, ""),
                    hides[switch.name],
                    links.get(switch.name),
                ),
                table_filling.detect(switch, thresholds, now),
            )
        ]
        odd = [
            detection
            for switch in conditions
            for detection in (
                ageing_too_short.detect(switch, now),
                ageing_too_long.detect(switch, thresholds, now),
            )
            if detection is not None
        ]
        ports = facts.port_activity(now - thresholds.silent_after, _MAX_PORTS)
        detections += [
            silent_port.detect(port, topology, thresholds, now, loops, known=port.ref in silent)
            for port in ports
        ]
        detections += [switches_late.detect(heard, as_of, now, behind), *_of_service(service, now)]
        found = [detection for detection in detections if detection is not None]
        found += self._odd_ageing.lasting(odd, now, thresholds.ageing_lasting)
        return found + self._from_ips(facts, now)

    def _from_ips(self, facts: FactSource, now: datetime) -> list[Detection]:
        thresholds = self._thresholds
        turns = facts.ip_turns(now - thresholds.ip_conflict_window, ip_conflict.MIN_TURNS, _MAX_PORTS)
        conflicts = (ip_conflict.detect(ip, each) for ip, each in turns.items())
        found = [one for one in conflicts if one is not None]
        if self._held_ips_at is None or now - self._held_ips_at >= _HELD_IPS_EVERY:
            before = now - thresholds.multiple_ips_after
            self._held_ips = facts.held_ips(before, multiple_ips.MAX_IPS, _MAX_ADDRESSES)
            self._held_ips_at = now
        if not self._held_ips:
            return found
        shared = facts.shared_prefixes()
        switches = facts.switch_addresses()  # they answer with as many IPs as they have VLANs
        for mac, held in self._held_ips.items():
            if mac not in switches and not is_shared(mac, shared):
                detection = multiple_ips.detect(mac, held, thresholds, now)
                if detection is not None:
                    found.append(detection)
        return found


def _of_service(service: ServiceCondition, now: datetime) -> list[Detection | None]:
    return [
        site_not_read.detect(service, now),
        readings_dropped.detect(service, now),
        readings_refused.detect(service, now),
        worker_failed.detect(service, now),
        database_away.detect(service, now),
        disk_filling.detect(service, now),
        certificate_ends.detect(service, now),
        alerts_not_delivered.detect(service, now),
        closing_stopped.detect(service, now),
        *port_closed.detect(service, now),
    ]


def _unheard_and_answering(
    switches: Iterable[SwitchCondition],
) -> tuple[dict[str, SwitchCondition], dict[str, SwitchCondition]]:
    """By name, those that do not answer, and those that do."""
    read = [one for one in switches if one.enabled]
    unheard = {one.name: one for one in read if one.last_outcome is SwitchHealth.SILENT}
    return unheard, {one.name: one for one in read if one.last_outcome in _ANSWERED}
