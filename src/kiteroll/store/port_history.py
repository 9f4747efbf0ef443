"""Uplinks, links and counts of ports as of an instant."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, func, insert, select, tuple_, update

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.cables import Cable, UplinkRecord
from kiteroll.core.topology.roles import RoleEvidence
from kiteroll.store.past_roles import recorded_since
from kiteroll.store.predicates import covers
from kiteroll.store.quiet_periods import heard_then
from kiteroll.store.stay_queries import Filters, placed, placed_stay
from kiteroll.store.tables import port, port_link, port_uplink, stay, switch


@dataclass(frozen=True, slots=True)
class LinkChange:
    at: datetime
    oper: str


def open_uplinks(connection: Connection) -> dict[int, UplinkRecord]:
    """By id of the port: what is recorded of those that count as uplinks now."""
    rows = connection.execute(select(port_uplink).where(port_uplink.c.ended_at.is_(None))).all()
    names = _names_of_switches(connection)
    return {row.port_id: _record(row, names) for row in rows}


def record_uplinks(
    connection: Connection, begun: Mapping[int, UplinkRecord], ended: Collection[int], at: datetime
) -> None:
    """`begun` count as uplinks from now on, or lead elsewhere; `ended` no longer do. By id of the port."""
    over = [*begun, *ended]
    if over:
        closed = update(port_uplink).where(port_uplink.c.port_id.in_(over), port_uplink.c.ended_at.is_(None))
        connection.execute(closed.values(ended_at=at))
    if begun:
        here = select(switch.c.name, switch.c.id).where(switch.c.removed_at.is_(None))
        numbers: dict[str, int] = {name: number for name, number in connection.execute(here)}

        def ids(names: Iterable[str]) -> list[int]:
            return [numbers[name] for name in names if name in numbers]

        rows = [
            {
                "port_id": port_id,
                "leads_to": None if record.leads_to is None else ids(record.leads_to),
                "adjacent": ids(record.adjacent),
                "cable": record.cable.value,
                "evidence": record.evidence.value,
                "witnesses": ids(record.witnesses),
                "began_at": at,
            }
            for port_id, record in begun.items()
        ]
        connection.execute(insert(port_uplink), rows)


def shorten_uplinks(connection: Connection, ports: Collection[int]) -> None:
    """What is behind these is written out, and follows from the cables of all uplinks."""
    of_ports = update(port_uplink).where(port_uplink.c.port_id.in_(ports), port_uplink.c.ended_at.is_(None))
    connection.execute(of_ports.values(leads_to=None))


def uplinks_at(connection: Connection, at: datetime) -> dict[int, tuple[PortRef, UplinkRecord]] | None:
    """What is recorded of ports that counted as uplinks at an instant, by id; None when nothing was recorded
    that early."""
    first = recorded_since(connection)
    if first is None or first > at:
        return None
    query = (
        select(port_uplink, port.c.name.label("port_name"), switch.c.name.label("switch_name"))
        .join(port, port.c.id == port_uplink.c.port_id)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(covers(port_uplink.c.began_at, port_uplink.c.ended_at, at))
    )
    rows = connection.execute(query).all()
    names = _names_of_switches(connection)
    return {row.port_id: ((row.switch_name, row.port_name), _record(row, names)) for row in rows}


def last_used(connection: Connection, switch_id: int) -> dict[int, datetime]:
    """By id of the ports of a switch: when a stay there ended last; ports where none did are left out."""
    query = (
        select(stay.c.port_id, func.max(stay.c.ended_at))
        .where(stay.c.switch_id == switch_id, stay.c.ended_at.is_not(None))
        .group_by(stay.c.port_id)
    )
    return {port_id: at for port_id, at in connection.execute(query)}


def former_uplinks(connection: Connection, since: datetime) -> dict[PortRef, datetime]:
    """Ports that ceased to be uplinks since then, and when; some may be uplinks again."""
    query = (
        select(switch.c.name, port.c.name, func.max(port_uplink.c.ended_at))
        .select_from(port_uplink)
        .join(port, port.c.id == port_uplink.c.port_id)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), port_uplink.c.ended_at >= since)
        .group_by(port.c.id)
    )
    return {
        (switch_name, port_name): ended_at for switch_name, port_name, ended_at in connection.execute(query)
    }


def _names_of_switches(connection: Connection) -> dict[int, str]:
    """As they are called now, also of those that were removed."""
    return {number: name for number, name in connection.execute(select(switch.c.id, switch.c.name))}


def _record(row: Row[Any], names: Mapping[int, str]) -> UplinkRecord:
    def named(ids: Iterable[int]) -> tuple[str, ...]:
        return tuple(names[number] for number in ids if number in names)

    return UplinkRecord(
        named(row.adjacent),
        Cable(row.cable),
        RoleEvidence(row.evidence),
        named(row.witnesses),
        None if row.leads_to is None else named(row.leads_to),
    )


def address_counts_at(connection: Connection, places: Sequence[PortRef], at: datetime) -> dict[PortRef, int]:
    """How many addresses each of these ports carried at an instant, of those that carried any."""
    query = (
        select(switch.c.name, port.c.name, func.count())
        .select_from(stay)
        .join(port, port.c.id == stay.c.port_id)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(tuple_(switch.c.name, port.c.name).in_(places))
        .where(covers(stay.c.began_at, stay.c.ended_at, at))
        .group_by(port.c.id)
    )
    return {(switch_name, port_name): count for switch_name, port_name, count in connection.execute(query)}


def ports_at(
    connection: Connection, switch_id: int, at: datetime
) -> dict[int, tuple[int, int, LinkChange | None]]:
    """By id of a switch's ports: how many were present and quiet on each at an instant, and the last
    change of its link by then, where one was kept."""
    of_switch = select(port.c.id).where(port.c.switch_id == switch_id)
    there = placed(Filters(switch_ids=[switch_id], at=at))
    stays = {row.id: (row.port_id, placed_stay(row).stay) for row in connection.execute(there)}
    heard = heard_then(connection, [one for _, one in stays.values()], at)
    counts: dict[int, list[int]] = {}
    for number, (port_id, _) in stays.items():
        counts.setdefault(port_id, [0, 0])[heard[number].quiet_since is not None] += 1
    last = (
        select(port_link.c.port_id, func.max(port_link.c.id).label("id"))
        .where(port_link.c.port_id.in_(of_switch), port_link.c.at <= at)
        .group_by(port_link.c.port_id)
        .subquery()
    )
    links = {
        port_id: LinkChange(changed_at, oper)
        for port_id, changed_at, oper in connection.execute(
            select(port_link.c.port_id, port_link.c.at, port_link.c.oper).join(
                last, last.c.id == port_link.c.id
            )
        )
    }
    return {
        port_id: (*counts.get(port_id, (0, 0)), links.get(port_id))
        for port_id in connection.execute(of_switch).scalars()
    }


def links_of_port(connection: Connection, port_id: int, since: datetime, limit: int) -> list[LinkChange]:
    """What became of a port's link since then, latest first."""
    query = (
        select(port_link.c.at, port_link.c.oper)
        .where(port_link.c.port_id == port_id, port_link.c.at >= since)
        .order_by(port_link.c.at.desc(), port_link.c.id.desc())
        .limit(limit)
    )
    return [LinkChange(at, oper) for at, oper in connection.execute(query)]
