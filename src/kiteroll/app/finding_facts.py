"""The facts of the finding engine, from the records and the tracker of the running service."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from datetime import datetime

from kiteroll.app.sightings import sighting_of
from kiteroll.app.switch_condition import condition_of
from kiteroll.app.topology_view import NetworkView, TopologyView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.core.findings.address_view import PortFacts
from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.findings.kinds.silent_port import PortActivity
from kiteroll.core.findings.links_towards import Link
from kiteroll.core.findings.service_condition import ServiceCondition
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting
from kiteroll.core.tracking.switch_health import SwitchCondition
from kiteroll.store import finding_inputs, inventory, rules, tracked_state
from kiteroll.store.database import Database


class StoredFacts:
    """Implements `kiteroll.core.findings.facts.FactSource`. Every answer may raise StorageUnavailable."""

    def __init__(
        self,
        database: Database,
        fleet: TrackedFleet,
        topology: TopologyView,
        service: Callable[[], ServiceCondition] = ServiceCondition,
    ) -> None:
        self._database = database
        self._fleet = fleet
        self._topology = topology
        self._service = service
        self._view = NetworkView()
        """The one that the engine judges by."""

    def topology(self, *, fresh: bool) -> Topology:
        view = self._topology.refresh_unless_costly() if fresh else self._topology.now()
        if view is not None:  # else the one before: what came since waits for the next
            self._view = view
        return self._view.topology

    def topology_at(self) -> datetime | None:
        return self._view.facts_at

    def note_claims(self, ports: frozenset[PortRef]) -> None:
        self._topology.note_claims(ports)

    def switches(self) -> Collection[str]:
        return self._fleet.switches.values()

    def switch_addresses(self) -> Collection[MacAddress]:
        return self._database.run(inventory.switch_addresses)

    def conditions(self) -> Sequence[SwitchCondition]:
        tracker = self._fleet.tracker
        rows = self._database.run(inventory.all_switches)
        return [condition_of(row, tracker.present(row.name)) for row in rows]

    def service(self) -> ServiceCondition:
        return self._service()

    def table(self, switch: str) -> MacTable:
        return self._fleet.tracker.table(switch)

    def rules(self) -> RuleBook:
        return self._database.run(rules.rule_book)

    def rules_known_since(self) -> dict[str, datetime]:
        """At a start, of switches that have rules: when each was read first. Raises StorageUnavailable."""
        rules, first = self.rules(), self._database.run(tracked_state.first_readings)
        switches = self._fleet.switches
        known = ((switches[number], at) for number, at in first.items() if number in switches)
        return {name: at for name, at in known if rules.concerns(name)}

    def shared_prefixes(self) -> Collection[str]:
        return self._database.run(finding_inputs.shared_addresses).keys()

    def sightings(
        self, macs: Sequence[MacAddress], since: datetime
    ) -> Mapping[MacAddress, Sequence[Sighting]]:
        view = self._topology.now()
        stays = self._database.run(finding_inputs.recent_stays, macs, since)
        return {mac: [sighting_of(row, view) for row in rows] for mac, rows in stays.items()}

    def port_facts(self, ports: Sequence[PortRef]) -> Mapping[PortRef, PortFacts]:
        return self._database.run(finding_inputs.port_facts, ports)

    def link_states(self, ports: Sequence[PortRef]) -> Mapping[PortRef, Link]:
        return self._database.run(finding_inputs.link_states, ports)

    def at_several_ports(self, limit: int) -> Sequence[MacAddress]:
        uplinks = sorted(self._topology.now().uplink_ids())
        return self._database.run(finding_inputs.at_several_ports, uplinks, limit)

    def port_activity(self, up_before: datetime, limit: int) -> Sequence[PortActivity]:
        tracker = self._fleet.tracker
        found = self._database.run(finding_inputs.port_activity, up_before, limit)
        return [
            replace(
                one,
                in_table=tracker.present(one.switch),
                read_since=tracker.checkpoint(one.switch).read_since,
            )
            for one in found
        ]

    def ip_turns(
        self, since: datetime, turns: int, limit: int
    ) -> Mapping[str, Sequence[tuple[datetime, MacAddress]]]:
        return self._database.run(finding_inputs.ip_turns, since, turns, limit)

    def held_ips(self, before: datetime, max_ips: int, limit: int) -> Mapping[MacAddress, Sequence[HeldIp]]:
        return self._database.run(finding_inputs.held_ips, before, max_ips, limit)
