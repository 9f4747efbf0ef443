"""Queries over several tables in one transaction each: these run at every keystroke of a search."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection

from kiteroll.core.model.mac import MacAddress
from kiteroll.store import addresses, host_names, labels, list_queries, stay_queries
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.labels import Label
from kiteroll.store.list_queries import PortRow
from kiteroll.store.stay_queries import PlacedStay


@dataclass(frozen=True, slots=True)
class EndpointRecord:
    first_seen_at: datetime
    label: Label
    stays: Sequence[PlacedStay]
    """Its open ones, or those that covered an instant; its latest alone when it has none."""
    ips: Sequence[str]
    names: Sequence[str]


@dataclass(frozen=True, slots=True)
class NameMatches:
    macs: Sequence[MacAddress]
    switches: Sequence[SwitchRow]
    ports: Sequence[PortRow]


def endpoint_records(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> dict[MacAddress, EndpointRecord]:
    """Those among `macs` that are known, or were known then, in their order."""
    first_seen = stay_queries.first_seen(connection, macs)
    known = [mac for mac in macs if mac in first_seen and (then is None or first_seen[mac] <= then)]
    said = labels.labels_of(connection, known)
    stays = stay_queries.places_of(connection, known, then)
    ips = addresses.ips_of(connection, known, then)
    hosts = host_names.names_of(connection, ips, then)
    return {
        mac: EndpointRecord(
            first_seen[mac], said.get(mac, Label(mac)), stays[mac], ips.get(mac, ()), hosts.get(mac, ())
        )
        for mac in known
    }


def match_names(
    connection: Connection,
    text: str,
    most_macs: int,
    hosts: Sequence[int],
    ports: Sequence[tuple[int, str]],
    most_switches: int,
) -> NameMatches:
    """Endpoints whose label or owner holds `text` or that have one of these host names, and switches
    and ports called so. `hosts`: numbers of host names; `ports`: ids of switches, and names."""
    macs: list[MacAddress] = []
    if most_macs:
        macs = labels.macs_by_label(connection, text, most_macs) + host_names.macs_by_name(connection, hosts)
    return NameMatches(
        macs,
        list_queries.matching_switches(connection, text, most_switches),
        list_queries.ports_named(connection, ports),
    )


def match_names_at(connection: Connection, text: str, most: int, at: datetime) -> NameMatches:
    """Endpoints whose label or owner holds `text` now, or that had such a host name at an instant."""
    if not most:
        return NameMatches([], [], [])
    macs = labels.macs_by_label(connection, text, most) + host_names.macs_named_at(connection, text, most, at)
    return NameMatches(macs, [], [])
