"""Which IP addresses answered for which MAC address over time, as intervals."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime
from ipaddress import IPv4Network, IPv6Network

from sqlalchemy import Connection, func, select, update
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import IP_TABLES, Reading
from kiteroll.store.bulk import chunks, insert_all
from kiteroll.store.predicates import escape_like, held
from kiteroll.store.tables import ip_stay


def merge_addresses(
    connection: Connection, source_id: int, taken: Reading, known: Mapping[str, MacAddress] | None
) -> Mapping[str, MacAddress]:
    """Write what a reading's neighbour cache changed; returns what is open now. `known`: what was open,
    None when that is not remembered. An entry missing from a cache that was not read whole stays."""
    if known is None:
        query = select(ip_stay.c.ip, ip_stay.c.mac).where(
            ip_stay.c.source_id == source_id, ip_stay.c.ended_at.is_(None)
        )
        known = {ip: mac for ip, mac in connection.execute(query)}
    now = dict(taken.addresses)
    if any(gap.table in IP_TABLES for gap in taken.gaps):
        now = {**known, **now}
    if now == known:
        return known
    ended = [ip for ip, mac in known.items() if now.get(ip) != mac]
    for part in chunks(ended):
        connection.execute(
            update(ip_stay)
            .where(ip_stay.c.source_id == source_id, ip_stay.c.ended_at.is_(None))
            .where(ip_stay.c.ip.in_(part))
            .values(ended_at=taken.taken_at)
        )
    begun = [
        {"ip": ip, "mac": mac, "source_id": source_id, "began_at": taken.taken_at}
        for ip, mac in now.items()
        if known.get(ip) != mac
    ]
    insert_all(connection, insert(ip_stay), begun)
    return now


def macs_in_network(
    connection: Connection, network: IPv4Network | IPv6Network, limit: int, then: datetime | None = None
) -> list[MacAddress]:
    """Addresses for which an IP inside the network answers now, or answered then, by IP."""
    packed = func.inet6_aton(ip_stay.c.ip)
    first, last = (str(network[at]) for at in (0, -1))
    query = (
        select(ip_stay.c.mac)
        .where(held(ip_stay.c.began_at, ip_stay.c.ended_at, then))
        .where(ip_stay.c.ip.like(f"{_whole_octets(network)}%"))
        .where(packed.between(func.inet6_aton(first), func.inet6_aton(last)))
        .where(func.length(packed) == (4 if network.version == 4 else 16))
        .group_by(ip_stay.c.mac)
        .order_by(func.min(packed))
        .limit(limit)
    )
    return list(connection.execute(query).scalars())


def _whole_octets(network: IPv4Network | IPv6Network) -> str:
    """What all IPs of the network begin with, as far as an index can tell; IPv6 is written in many ways."""
    whole = network.prefixlen // 8 if network.version == 4 else 0
    return "".join(f"{octet}." for octet in network.network_address.packed[: min(whole, 3)])


def macs_of_ips(connection: Connection, ips: Sequence[str]) -> dict[str, list[MacAddress]]:
    """Addresses that answer for each of these IPs now, by any source."""
    found: dict[str, list[MacAddress]] = defaultdict(list)
    if ips:
        query = select(ip_stay.c.ip, ip_stay.c.mac).where(ip_stay.c.ip.in_(ips), ip_stay.c.ended_at.is_(None))
        for ip, mac in connection.execute(query.distinct()):
            found[ip].append(mac)
    return found


def macs_by_ip(
    connection: Connection, text: str, limit: int, then: datetime | None = None
) -> list[MacAddress]:
    """Addresses for which an IP beginning with `text` answers now, or answered then; that very IP first."""
    query = (
        select(ip_stay.c.mac)
        .where(ip_stay.c.ip.like(f"{escape_like(text)}%"))
        .where(held(ip_stay.c.began_at, ip_stay.c.ended_at, then))
        .group_by(ip_stay.c.mac)
        .order_by((ip_stay.c.ip == text).desc(), ip_stay.c.ip)
        .limit(limit)
    )
    return list(connection.execute(query).scalars())
