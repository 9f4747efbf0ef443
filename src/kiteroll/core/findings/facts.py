"""Where the finding engine gets its facts: the records of the service, or a replay's memory."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from typing import Protocol

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


class FactSource(Protocol):
    """Answers may raise StorageUnavailable; the engine's step then changes nothing and is run again."""

    def topology(self, *, fresh: bool) -> Topology:
        """Roles of ports, some seconds old at most; `fresh`: from the latest readings. Without their
        uplinks, ports of a switch that was just read for the first time would pass for access ports."""

    def topology_at(self) -> datetime | None:
        """Of when the facts are that the last answer of `topology` was worked out from, or agrees with."""

    def note_claims(self, ports: frozenset[PortRef]) -> None:
        """Ports that stay under their rules though they look like uplinks: the next topology knows of it."""

    def switches(self) -> Collection[str]:
        """Names of the switches in the inventory."""

    def switch_addresses(self) -> Collection[MacAddress]:
        """Bridge addresses of the switches: they are no endpoints."""

    def conditions(self) -> Sequence[SwitchCondition]:
        """One a switch."""

    def service(self) -> ServiceCondition:
        """How the service itself is doing."""

    def table(self, switch: str) -> MacTable: ...

    def rules(self) -> RuleBook: ...

    def shared_prefixes(self) -> Collection[str]:
        """The operator's list of shared addresses, as hex digits."""

    def sightings(
        self, macs: Sequence[MacAddress], since: datetime
    ) -> Mapping[MacAddress, Sequence[Sighting]]:
        """Open stays of these addresses, and those that ended since then."""

    def port_facts(self, ports: Sequence[PortRef]) -> Mapping[PortRef, PortFacts]:
        """Of the known ones among these."""

    def link_states(self, ports: Sequence[PortRef]) -> Mapping[PortRef, Link]:
        """Of the known ones among these, as read last."""

    def at_several_ports(self, limit: int) -> Sequence[MacAddress]:
        """Addresses present at more than one access port."""

    def port_activity(self, up_before: datetime, limit: int) -> Sequence[PortActivity]:
        """Ports that may be silent: up since before then, with no address present."""

    def ip_turns(
        self, since: datetime, turns: int, limit: int
    ) -> Mapping[str, Sequence[tuple[datetime, MacAddress]]]:
        """IPs that answered with several addresses in at least so many turns since then, by the cache of one
        source: when each turn began, in order of time."""

    def held_ips(self, before: datetime, max_ips: int, limit: int) -> Mapping[MacAddress, Sequence[HeldIp]]:
        """Addresses that answer, by one source, with several IPv4 addresses, two of them before then."""
