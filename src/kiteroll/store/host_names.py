"""Host names of IP addresses over time, and when each is to be looked up again."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Select, and_, func, or_, select, update
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.mac import MacAddress
from kiteroll.store.predicates import covers, escape_like, given, held
from kiteroll.store.tables import ip_lookup, ip_name, ip_stay, switch


@dataclass(frozen=True, slots=True)
class IpStay:
    """An IP address that answered with a MAC address during [began_at, ended_at)."""

    ip: str
    source: str
    """The switch or router whose neighbour cache had it."""
    began_at: datetime
    ended_at: datetime | None
    names: tuple[str, ...]
    """Host names it had in that time, latest last."""


def due_ips(connection: Connection, now: datetime, limit: int) -> list[str]:
    """IP addresses in use whose name was never looked up, or is due again."""
    query = (
        select(ip_stay.c.ip)
        .outerjoin(ip_lookup, ip_lookup.c.ip == ip_stay.c.ip)
        .where(ip_stay.c.ended_at.is_(None))
        .where(or_(ip_lookup.c.ip.is_(None), ip_lookup.c.next_at <= now))
        .distinct()
        .limit(limit)
    )
    return list(connection.execute(query).scalars())


def save_names(connection: Connection, found: Mapping[str, str], at: datetime, next_at: datetime) -> None:
    """`found`: IP to name, empty for none. A name that is another now ends the one before."""
    if not found:
        return
    query = select(ip_name.c.ip, ip_name.c.name).where(ip_name.c.ip.in_(found), ip_name.c.ended_at.is_(None))
    known = {ip: name for ip, name in connection.execute(query)}
    ended = [ip for ip, name in known.items() if found[ip] != name]
    if ended:
        connection.execute(
            update(ip_name).where(ip_name.c.ip.in_(ended), ip_name.c.ended_at.is_(None)).values(ended_at=at)
        )
    begun = [
        {"ip": ip, "name": name, "began_at": at}
        for ip, name in found.items()
        if name and known.get(ip) != name
    ]
    if begun:
        connection.execute(insert(ip_name), begun)
    postpone(connection, list(found), next_at)


def postpone(connection: Connection, ips: Sequence[str], next_at: datetime) -> None:
    statement = insert(ip_lookup)
    again = statement.on_duplicate_key_update(next_at=statement.inserted.next_at)
    connection.execute(again, [{"ip": ip, "next_at": next_at} for ip in ips])


def ips_and_names_of(
    connection: Connection, macs: Sequence[MacAddress], then: datetime | None = None
) -> tuple[dict[MacAddress, list[str]], dict[MacAddress, list[str]]]:
    """IP addresses that answer for each of these now, or answered then, by any source; and the host names
    they have, or had. Of those that have some."""
    ips: dict[MacAddress, dict[str, None]] = defaultdict(dict)
    names: dict[MacAddress, set[str]] = defaultdict(set)
    if macs:
        query = _IPS_AND_NAMES if then is None else _ips_and_names(then)
        for mac, ip, name in connection.execute(query, {"macs": macs}):
            ips[mac][ip] = None
            if name is not None:
                names[mac].add(name)
    return {mac: list(each) for mac, each in ips.items()}, {mac: sorted(each) for mac, each in names.items()}


def _ips_and_names(then: datetime | None) -> Select[Any]:
    """Given `macs`."""
    named = and_(ip_name.c.ip == ip_stay.c.ip, held(ip_name.c.began_at, ip_name.c.ended_at, then))
    there = held(ip_stay.c.began_at, ip_stay.c.ended_at, then)
    return (
        select(ip_stay.c.mac, ip_stay.c.ip, ip_name.c.name)
        .outerjoin(ip_name, named)
        .where(given(ip_stay.c.mac, "macs"), there)
        .order_by(ip_stay.c.ip)
    )


_IPS_AND_NAMES = _ips_and_names(None)


def names_by_ip(connection: Connection, ips: Collection[str]) -> dict[str, list[str]]:
    """Host names that these have now."""
    named: dict[str, list[str]] = defaultdict(list)
    if ips:
        query = select(ip_name.c.ip, ip_name.c.name).where(
            ip_name.c.ip.in_(ips), ip_name.c.ended_at.is_(None)
        )
        for ip, name in connection.execute(query):
            named[ip].append(name)
    return named


def all_host_names(connection: Connection, after: int) -> list[tuple[str, int]]:
    """Host names and the numbers of their records, of those recorded after that number, in order."""
    query = select(ip_name.c.name, ip_name.c.id).where(ip_name.c.id > after, ip_name.c.ended_at.is_(None))
    return [(name, number) for name, number in connection.execute(query.order_by(ip_name.c.id))]


def macs_by_name(connection: Connection, numbers: Sequence[int]) -> list[MacAddress]:
    """Addresses that have one of these host names now, in order of the names' records."""
    if not numbers:
        return []
    query = (
        select(ip_name.c.id, ip_stay.c.mac)
        .join(ip_stay, ip_stay.c.ip == ip_name.c.ip)
        .where(ip_name.c.id.in_(numbers), ip_name.c.ended_at.is_(None), ip_stay.c.ended_at.is_(None))
        .prefix_with("STRAIGHT_JOIN")
    )
    rank = {number: at for at, number in enumerate(numbers)}
    found = sorted((rank[number], mac) for number, mac in connection.execute(query))
    return list(dict.fromkeys(mac for _, mac in found))


def macs_named_at(connection: Connection, text: str, limit: int, at: datetime) -> list[MacAddress]:
    """Addresses that had a host name holding `text` at an instant, by name."""
    query = (
        select(ip_stay.c.mac)
        .join(ip_name, ip_name.c.ip == ip_stay.c.ip)
        .where(ip_name.c.name.like(f"%{escape_like(text)}%"))
        .where(covers(ip_name.c.began_at, ip_name.c.ended_at, at))
        .where(covers(ip_stay.c.began_at, ip_stay.c.ended_at, at))
        .group_by(ip_stay.c.mac)
        .order_by(func.min(ip_name.c.name), ip_stay.c.mac)
        .limit(limit)
    )
    return list(connection.execute(query).scalars())


def ip_history(connection: Connection, mac: MacAddress, limit: int) -> list[IpStay]:
    """IP addresses of one endpoint, latest first, with the names each had meanwhile."""
    query = (
        select(ip_stay.c.ip, switch.c.name, ip_stay.c.began_at, ip_stay.c.ended_at)
        .join(switch, switch.c.id == ip_stay.c.source_id)
        .where(ip_stay.c.mac == mac)
        .order_by(ip_stay.c.began_at.desc(), ip_stay.c.id.desc())
        .limit(limit)
    )
    rows = connection.execute(query).all()
    named = select(ip_name).where(ip_name.c.ip.in_({row.ip for row in rows})).order_by(ip_name.c.began_at)
    names: dict[str, list[tuple[str, datetime, datetime | None]]] = defaultdict(list)
    if rows:
        for one in connection.execute(named):
            names[one.ip].append((one.name, one.began_at, one.ended_at))
    return [
        IpStay(ip, source, began, ended, _in_time(names[ip], began, ended))
        for ip, source, began, ended in rows
    ]


def _in_time(
    names: Sequence[tuple[str, datetime, datetime | None]], began: datetime, ended: datetime | None
) -> tuple[str, ...]:
    meanwhile = (
        name
        for name, at, until in names
        if (ended is None or at < ended) and (until is None or until > began)
    )
    return tuple(dict.fromkeys(meanwhile))
