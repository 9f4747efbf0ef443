"""Queries over several tables in one transaction each: these run at every keystroke of a search."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Select, and_, func, select

from kiteroll.core.model.mac import MacAddress
from kiteroll.store import host_names, list_queries
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.labels import Label
from kiteroll.store.list_queries import PortRow
from kiteroll.store.predicates import given, held
from kiteroll.store.stay_queries import PLACE_COLUMNS, PlacedStay, latest_ended, placed_stay
from kiteroll.store.tables import address_label, endpoint, port, stay, switch, vlan


@dataclass(frozen=True, slots=True)
class EndpointRecord:
    first_seen_at: datetime
    label: Label
    stays: Sequence[PlacedStay]
    """Its open ones, or those that covered an instant; its latest alone when it has none."""
    ips: Sequence[str]
    names: Sequence[str]
    switch: str | None
    """The switch whose bridge address it is."""


@dataclass(frozen=True, slots=True)
class NameMatches:
    macs: Sequence[MacAddress]
    switches: Sequence[SwitchRow]
    ports: Sequence[PortRow]


def endpoint_records(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> dict[MacAddress, EndpointRecord]:
    """Those among `macs` that are known, or were known then, in their order."""
    if not macs:
        return {}
    first_seen: dict[MacAddress, datetime] = {}
    labels: dict[MacAddress, Label] = {}
    switches: dict[MacAddress, str | None] = {}
    stays: dict[MacAddress, list[PlacedStay]] = {}
    for row in connection.execute(_KNOWN if then is None else _known(then), {"macs": macs}):
        if row.known not in stays:
            first_seen[row.known] = row.first_seen_at
            labels[row.known] = Label(row.known, row.label or "", row.owner or "", row.notes or "")
            switches[row.known] = row.as_switch
            stays[row.known] = []
        if row.id is not None:
            stays[row.known].append(placed_stay(row))
    known = [mac for mac in macs if mac in stays and (then is None or first_seen[mac] <= then)]
    for one in latest_ended(connection, [mac for mac in known if not stays[mac]], then):
        stays[one.stay.mac].append(one)
    ips, hosts = host_names.ips_and_names_of(connection, known, then)
    return {
        mac: EndpointRecord(
            first_seen[mac], labels[mac], stays[mac], ips.get(mac, ()), hosts.get(mac, ()), switches[mac]
        )
        for mac in known
    }


def _known(then: datetime | None) -> Select[Any]:
    """Given `macs`: those that were ever seen, with the label of each and each of its stays; one that
    has none, once."""
    there = and_(stay.c.mac == endpoint.c.mac, held(stay.c.began_at, stay.c.ended_at, then))
    label = (address_label.c.label, address_label.c.owner, address_label.c.notes)
    itself = switch.alias("itself")
    as_switch = (
        select(func.max(itself.c.name))
        .where(itself.c.bridge_address == endpoint.c.mac, itself.c.removed_at.is_(None))
        .scalar_subquery()
        .label("as_switch")
    )
    return (
        select(endpoint.c.mac.label("known"), endpoint.c.first_seen_at, as_switch, *label, *PLACE_COLUMNS)
        .select_from(endpoint)
        .outerjoin(address_label, address_label.c.mac == endpoint.c.mac)
        .outerjoin(stay, there)
        .outerjoin(port, port.c.id == stay.c.port_id)
        .outerjoin(switch, switch.c.id == stay.c.switch_id)
        .outerjoin(vlan, and_(vlan.c.switch_id == stay.c.switch_id, vlan.c.id == stay.c.vlan))
        .where(given(endpoint.c.mac, "macs"))
    )


_KNOWN = _known(None)


def match_names(
    connection: Connection,
    hosts: Sequence[int],
    ports: Sequence[tuple[int, str]],
    switches: Sequence[int],
) -> NameMatches:
    """Endpoints that have one of these host names, and these switches and ports. `hosts`: numbers of host
    names; `ports`: by id of their switch, and name."""
    return NameMatches(
        host_names.macs_by_name(connection, hosts),
        list_queries.switches_with(connection, switches),
        list_queries.ports_named(connection, ports),
    )
