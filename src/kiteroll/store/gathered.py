"""What an answer needs from several tables, in one transaction each: these run at every keystroke."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection

from kiteroll.core.mac import MacAddress
from kiteroll.store import addresses, names, overview, places
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.overview import PortRow
from kiteroll.store.places import PlacedStay


@dataclass(frozen=True, slots=True)
class KeptEndpoint:
    about: Mapping[str, Any]
    """first_seen_at, label, owner, notes."""
    stays: Sequence[PlacedStay]
    """Its open ones, or those that covered an instant; its latest alone when it has none."""
    ips: Sequence[str]
    names: Sequence[str]


@dataclass(frozen=True, slots=True)
class CalledSo:
    macs: Sequence[MacAddress]
    switches: Sequence[SwitchRow]
    ports: Sequence[PortRow]


def kept_endpoints(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> dict[MacAddress, KeptEndpoint]:
    """Those among `macs` that are known, or were known then, in their order."""
    about = places.about_endpoints(connection, macs)
    known = [mac for mac in macs if mac in about and (then is None or about[mac]["first_seen_at"] <= then)]
    stays = places.places_of(connection, known, then)
    ips = addresses.ips_of(connection, known, then)
    hosts = names.names_of(connection, ips, then)
    return {mac: KeptEndpoint(about[mac], stays[mac], ips.get(mac, ()), hosts.get(mac, ())) for mac in known}


def called_so(
    connection: Connection,
    text: str,
    most_macs: int,
    hosts: Sequence[int],
    ports: Sequence[tuple[int, str]],
    most_switches: int,
) -> CalledSo:
    """Endpoints whose label or owner holds `text` or that have one of these host names, and switches
    and ports called so. `hosts`: numbers of host names; `ports`: ids of switches, and names."""
    macs: list[MacAddress] = []
    if most_macs:
        macs = places.macs_by_label(connection, text, most_macs) + names.macs_by_name(connection, hosts)
    return CalledSo(
        macs,
        overview.matching_switches(connection, text, most_switches),
        overview.ports_named(connection, ports),
    )


def called_so_at(connection: Connection, text: str, most: int, at: datetime) -> CalledSo:
    """Endpoints whose label or owner holds `text` now, or that had such a host name at an instant."""
    if not most:
        return CalledSo([], [], [])
    macs = places.macs_by_label(connection, text, most) + names.macs_named_at(connection, text, most, at)
    return CalledSo(macs, [], [])
