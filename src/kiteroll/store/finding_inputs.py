"""Facts for the finding engine: stays of some addresses, ports and their links, IPs."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime

from sqlalchemy import Connection, and_, delete, func, or_, select, tuple_
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.findings.address_view import PortFacts
from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.findings.kinds.silent_port import PortActivity
from kiteroll.core.findings.links_towards import Link
from kiteroll.core.model.link_change import reported_change, seen_change
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.store.bulk import chunks
from kiteroll.store.host_names import names_by_ip
from kiteroll.store.ports import IS_UP
from kiteroll.store.predicates import none_of
from kiteroll.store.stay_queries import Filters, PlacedStay, placed, placed_stay
from kiteroll.store.tables import ip_stay, port, port_link, shared_address, stay, switch

_CHUNK = 500


def recent_stays(
    connection: Connection, macs: Sequence[MacAddress], since: datetime
) -> dict[MacAddress, list[PlacedStay]]:
    """Stays of these addresses that are open or ended since then."""
    found: dict[MacAddress, list[PlacedStay]] = defaultdict(list)
    for part in chunks(macs, _CHUNK):
        query = placed(Filters(open_only=False)).where(
            stay.c.mac.in_(part), or_(stay.c.ended_at.is_(None), stay.c.ended_at >= since)
        )
        for row in connection.execute(query):
            found[row.mac].append(placed_stay(row))
    return found


def link_states(connection: Connection, places: Sequence[PortRef]) -> dict[PortRef, Link]:
    """Of each of these ports, as read last."""
    if not places:
        return {}
    query = (
        select(switch.c.name, port.c.name, port.c.oper, port.c.oper_since)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), tuple_(switch.c.name, port.c.name).in_(places))
    )
    return {
        (switch_name, name): (Oper(oper), since)
        for switch_name, name, oper, since in connection.execute(query)
    }


def port_facts(connection: Connection, places: Sequence[PortRef]) -> dict[PortRef, PortFacts]:
    """When the link of each port changed last, and who is present there."""
    if not places:
        return {}
    rows = connection.execute(
        select(
            switch.c.name,
            port.c.name,
            port.c.id,
            port.c.oper,
            port.c.oper_since,
            _OPER_BEFORE,
            port.c.changed_ticks,
            switch.c.uptime_ticks,
            switch.c.uptime_at,
        )
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), tuple_(switch.c.name, port.c.name).in_(places))
    ).all()
    present: dict[int, set[MacAddress]] = defaultdict(set)
    query = select(stay.c.port_id, stay.c.mac).where(
        stay.c.port_id.in_([row[2] for row in rows]), stay.c.ended_at.is_(None), stay.c.last_seen_at.is_(None)
    )
    for port_id, mac in connection.execute(query.limit(20_000)):
        present[port_id].add(mac)
    found = {}
    for switch_name, port_name, port_id, oper, since, oper_before, *ticks in rows:
        reported = reported_change(*ticks)
        before = None if oper_before is None else Oper(oper_before)
        changed_at = reported or seen_change(Oper(oper), before, since)
        found[switch_name, port_name] = PortFacts(changed_at, reported or since, frozenset(present[port_id]))
    return found


_OPER_BEFORE = (
    select(port_link.c.oper)
    .where(
        port_link.c.port_id == port.c.id,
        port_link.c.at < port.c.oper_since,
        port_link.c.oper != Oper.UNKNOWN.value,
    )
    .order_by(port_link.c.at.desc(), port_link.c.id.desc())
    .limit(1)
    .correlate(port)
    .scalar_subquery()
)
"""What a link was known to be before it became what it is."""


def at_several_ports(connection: Connection, without_ports: Sequence[int], limit: int) -> list[MacAddress]:
    """Addresses present at more than one port, uplinks left out."""
    query = select(stay.c.mac).where(stay.c.ended_at.is_(None), stay.c.last_seen_at.is_(None))
    if without_ports:
        query = query.where(none_of(stay.c.port_id, without_ports))
    query = query.group_by(stay.c.mac).having(func.count(func.distinct(stay.c.port_id)) > 1).limit(limit)
    return list(connection.execute(query).scalars())


def port_activity(connection: Connection, up_before: datetime, limit: int) -> list[PortActivity]:
    """Ports that may be silent: in use, up since before then, and no address there since. Whether one is
    silent is decided by `kiteroll.core.findings.kinds.silent_port`."""
    busy = (
        select(stay.c.id)
        .where(stay.c.port_id == port.c.id)
        .where(or_(stay.c.last_seen_at.is_(None), stay.c.last_seen_at >= up_before))
        .exists()
    )
    last = (
        select(func.max(stay.c.last_seen_at))
        .where(stay.c.port_id == port.c.id)
        .correlate(port)
        .scalar_subquery()
    )
    rows = connection.execute(
        select(switch.c.name, port.c.name, port.c.alias, port.c.oper_since, last)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(
            switch.c.removed_at.is_(None),
            switch.c.enabled,
            IS_UP,
            port.c.aggregate.is_(None),
            port.c.oper_since <= up_before,
            ~busy,
        )
        .limit(limit)
    )
    return [
        PortActivity(switch=name, port=port_name, alias=alias, up_since=since, last_seen_at=seen)
        for name, port_name, alias, since, seen in rows
    ]


def ip_turns(
    connection: Connection, since: datetime, turns: int, limit: int
) -> dict[str, list[tuple[datetime, MacAddress]]]:
    """IPs that answered with several addresses in so many turns since then, by the cache of one source: when
    each turn began. Of several sources the one with most turns counts: each notices at another time."""
    often = (
        select(ip_stay.c.ip)
        .where(ip_stay.c.began_at >= since)
        .group_by(ip_stay.c.ip, ip_stay.c.source_id)
        .having(and_(func.count() >= turns, func.count(func.distinct(ip_stay.c.mac)) > 1))
        .limit(limit)
    )
    ips = list(connection.execute(often).scalars())
    by_source: dict[tuple[str, int], list[tuple[datetime, MacAddress]]] = defaultdict(list)
    if ips:
        query = select(ip_stay.c.ip, ip_stay.c.source_id, ip_stay.c.began_at, ip_stay.c.mac).where(
            ip_stay.c.ip.in_(ips), ip_stay.c.began_at >= since
        )
        for ip, source, at, mac in connection.execute(query.order_by(ip_stay.c.began_at)):
            by_source[ip, source].append((at, mac))
    found: dict[str, list[tuple[datetime, MacAddress]]] = {}
    for (ip, _), each in sorted(by_source.items()):
        if len(each) > len(found.get(ip, ())):
            found[ip] = each
    return found


def held_ips(
    connection: Connection, before: datetime, max_ips: int, limit: int
) -> dict[MacAddress, list[HeldIp]]:
    """Addresses that answer, by one source, with several IPv4 addresses that came at different times,
    two of them before then; `max_ips`: addresses with more are left out."""
    # IPv6 hosts make themselves new addresses every day.
    here = and_(ip_stay.c.ended_at.is_(None), ip_stay.c.ip.not_like("%:%"))
    some = (
        select(ip_stay.c.mac, ip_stay.c.source_id)
        .where(here, ip_stay.c.began_at <= before)
        .group_by(ip_stay.c.mac, ip_stay.c.source_id)
        .having(and_(func.count() > 1, func.count() <= max_ips))
        .having(func.max(ip_stay.c.began_at) > func.min(ip_stay.c.began_at))
        .order_by(ip_stay.c.mac, ip_stay.c.source_id)
        .limit(limit)
    )
    source = {mac: source_id for mac, source_id in connection.execute(some)}  # one of several, if so
    found: dict[MacAddress, list[HeldIp]] = defaultdict(list)
    for part in chunks(list(source.items()), _CHUNK):
        query = (
            select(ip_stay.c.mac, ip_stay.c.ip, switch.c.name, ip_stay.c.began_at)
            .join(switch, switch.c.id == ip_stay.c.source_id)
            .where(here, tuple_(ip_stay.c.mac, ip_stay.c.source_id).in_(part))
        )
        rows = connection.execute(query).all()
        named = names_by_ip(connection, [row.ip for row in rows])
        for mac, ip, heard_from, began_at in rows:
            found[mac].append(HeldIp(ip, heard_from, began_at, frozenset(named.get(ip, ()))))
    return found


def save_shared(connection: Connection, prefix: str, why: str) -> None:
    statement = insert(shared_address).values(prefix=prefix, why=why)
    connection.execute(statement.on_duplicate_key_update(why=why))


def remove_shared(connection: Connection, prefix: str) -> bool:
    """Whether it was there."""
    done = connection.execute(delete(shared_address).where(shared_address.c.prefix == prefix))
    return done.rowcount > 0


def shared_addresses(connection: Connection) -> Mapping[str, str]:
    """Prefixes of addresses that several devices answer with by design, and why."""
    rows = connection.execute(select(shared_address).order_by(shared_address.c.prefix))
    return {prefix: why for prefix, why in rows}
