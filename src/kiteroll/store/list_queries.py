"""Lists of switches, ports, readings and changes."""

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from sqlalchemy import (
    Connection,
    Row,
    Select,
    and_,
    bindparam,
    case,
    func,
    or_,
    select,
    tuple_,
)

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.stay import Ending
from kiteroll.store.changes_at_uplinks import at_access_ports
from kiteroll.store.inventory import SWITCH_COLUMNS, SwitchRow, switch_row
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.ports import IS_UP
from kiteroll.store.predicates import given
from kiteroll.store.tables import change_log, port, reading, stay, switch, vlan


@dataclass(frozen=True, slots=True, kw_only=True)
class PortRow:
    id: int
    switch_name: str
    name: str
    number: int
    alias: str
    admin_up: bool
    oper: str
    oper_since: datetime | None
    changed_ticks: int | None
    """ifLastChange, where the switch is believed about it."""
    speed_bps: int | None
    bridged: bool
    duplex: str
    aggregate: str | None
    partner: str
    default_vlan: int | None
    tagged: list[int]
    untagged: list[int]
    spanning_tree: str
    there: bool
    present: int
    """Addresses learned there now."""
    quiet: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingRow:
    switch_name: str
    taken_at: datetime
    duration_ms: int
    outcome: str
    row_count: int
    change_count: int
    gaps: list[Mapping[str, Any]]
    error: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeRow:
    id: int
    at: datetime
    kind: str
    switch_name: str
    mac: MacAddress | None
    vlan: int | None
    port_name: str | None
    origin_port_name: str | None
    ending: Ending | None
    """Why a stay ended."""


def switches_page(
    connection: Connection, ask: PageAsk, *, site: str | None = None, group: str | None = None
) -> Page[SwitchRow]:
    query = select(*SWITCH_COLUMNS).where(switch.c.removed_at.is_(None))
    if site is not None:
        query = query.where(switch.c.site == site)
    if group is not None:
        query = query.where(func.json_contains(switch.c.in_groups, json.dumps(group)))
    name = Key(switch.c.name)
    sorts = {"name": (name,), "site": (Key(switch.c.site), name), "host": (Key(switch.c.host), name)}
    return fetch_page(connection, query, (name,), switch_row, ask, sorts)


def ports_of(connection: Connection, switch_id: int, also: Collection[int] = ()) -> list[PortRow]:
    """Ports the switch has, and those it had that still hold an open stay or are among `also`, by number."""
    query = _counted_ports().where(port.c.switch_id == switch_id)
    wanted = or_(port.c.there, func.count(stay.c.id) > 0, port.c.id.in_(also))
    kept = query.having(wanted).order_by(port.c.number, port.c.name)
    return [_port_row(row) for row in connection.execute(kept)]


def bridged_ports_up(connection: Connection, switch_ids: Sequence[int]) -> dict[int, int]:
    """Of each of these switches, how many ports are up and forward frames; without those that have none."""
    query = (
        select(port.c.switch_id, func.count())
        .where(port.c.switch_id.in_(switch_ids), IS_UP)
        .group_by(port.c.switch_id)
    )
    return {number: count for number, count in connection.execute(query)}


def vlans_of(connection: Connection, switch_id: int) -> list[tuple[int, str]]:
    rows = connection.execute(
        select(vlan.c.id, vlan.c.name).where(vlan.c.switch_id == switch_id).order_by(vlan.c.id)
    )
    return [(vlan_id, name) for vlan_id, name in rows]


def all_port_names(connection: Connection, of: int | None = None) -> list[tuple[int, str, str]]:
    """Id of its switch, name and alias of every port there is, or of those of one switch."""
    query = (
        select(port.c.switch_id, port.c.name, port.c.alias)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), port.c.there)
        .order_by(port.c.switch_id, port.c.number)
    )
    if of is not None:
        query = query.where(port.c.switch_id == of)
    return [(switch_id, name, alias) for switch_id, name, alias in connection.execute(query)]


def ports_named(connection: Connection, ports: Sequence[tuple[int, str]]) -> list[PortRow]:
    """These ports, by id of their switch and name, in their order; without those that are gone."""
    if not ports:
        return []
    found = connection.execute(_ports_called(), {"ports": ports})
    rows = {(row.switch_id, row.name): _port_row(row) for row in found}
    return [rows[each] for each in ports if each in rows]


@cache
def _ports_called() -> Select[Any]:
    """Given `ports`, each by id of its switch and name."""
    called = tuple_(port.c.switch_id, port.c.name).in_(bindparam("ports", expanding=True))
    return _counted_ports().where(switch.c.removed_at.is_(None), port.c.there, called)


def switch_texts(connection: Connection) -> list[tuple[int, str]]:
    """Id, and name, address and location as one text, of every switch there is, by name."""
    columns = (switch.c.id, switch.c.name, switch.c.host, switch.c.location)
    rows = connection.execute(select(*columns).where(switch.c.removed_at.is_(None)).order_by(switch.c.name))
    return [(number, "\t".join(texts)) for number, *texts in rows]


def switches_with(connection: Connection, ids: Sequence[int]) -> list[SwitchRow]:
    """These switches, in their order; without those that are gone."""
    if not ids:
        return []
    found = connection.execute(_SWITCHES_WITH, {"ids": ids})
    rows = {row.id: switch_row(row) for row in found}
    return [rows[one] for one in ids if one in rows]


_SWITCHES_WITH = select(*SWITCH_COLUMNS).where(switch.c.removed_at.is_(None), given(switch.c.id, "ids"))


def readings_page(connection: Connection, switch_ids: Sequence[int] | None, ask: PageAsk) -> Page[ReadingRow]:
    """Tries at reading, latest first; of some switches or of all."""
    query = (
        select(reading, switch.c.name.label("switch_name"))
        .join(switch, switch.c.id == reading.c.switch_id)
        .prefix_with("STRAIGHT_JOIN")
    )
    if switch_ids is not None:
        query = query.where(reading.c.switch_id.in_(switch_ids))
    keys = (Key(reading.c.taken_at, descending=True), Key(reading.c.id, descending=True))
    sorts = {"taken_at": (Key(reading.c.taken_at), Key(reading.c.id))}
    return fetch_page(connection, query, keys, _reading_row, ask, sorts)


def changes_page(
    connection: Connection,
    ask: PageAsk,
    *,
    since: datetime | None,
    until: datetime | None,
    switch_ids: Sequence[int] | None,
    mac: MacAddress | None,
    kinds: Sequence[str],
    uplinks: bool = True,
) -> Page[ChangeRow]:
    """Changes in [since, until), latest first. `uplinks`: also those at ports that were uplinks then."""
    origin = port.alias("origin")
    query = (
        select(  # in the order of ChangeRow
            change_log.c.id,
            change_log.c.at,
            change_log.c.kind,
            switch.c.name,
            change_log.c.mac,
            func.nullif(change_log.c.vlan, 0),
            port.c.name,
            origin.c.name,
            change_log.c.ending,
        )
        .join(switch, switch.c.id == change_log.c.switch_id)
        .outerjoin(port, port.c.id == change_log.c.port_id)
        .outerjoin(origin, origin.c.id == change_log.c.origin_port_id)
        # Left to itself, the server may begin with the switches and sort all changes there ever were.
        .prefix_with("STRAIGHT_JOIN")
    )
    if since is not None:
        query = query.where(change_log.c.at >= since)
    if until is not None:
        query = query.where(change_log.c.at < until)
    if switch_ids is not None:
        query = query.where(change_log.c.switch_id.in_(switch_ids))
    if mac is not None:
        query = query.where(change_log.c.mac == mac)
    if kinds:
        query = query.where(change_log.c.kind.in_(kinds))
    if not uplinks and (wanted := at_access_ports(connection)) is not None:
        query = query.where(wanted)
    keys = (Key(change_log.c.at, descending=True), Key(change_log.c.id, descending=True))
    sorts = {"at": (Key(change_log.c.at), Key(change_log.c.id))}
    return fetch_page(connection, query, keys, _change_row, ask, sorts)


def _counted_ports() -> Select[Any]:
    """Ports with how many addresses are present and quiet on each."""
    is_present = case((and_(stay.c.id.is_not(None), stay.c.last_seen_at.is_(None)), 1), else_=0)
    is_quiet = case((stay.c.last_seen_at.is_not(None), 1), else_=0)
    return (
        select(
            port,
            switch.c.name.label("switch_name"),
            func.sum(is_present).label("present"),
            func.sum(is_quiet).label("quiet"),
        )
        .join(switch, switch.c.id == port.c.switch_id)
        .outerjoin(stay, and_(stay.c.port_id == port.c.id, stay.c.ended_at.is_(None)))
        .group_by(port.c.id)
    )


def _port_row(row: Row[Any]) -> PortRow:
    values = {name: getattr(row, name) for name in PortRow.__dataclass_fields__}
    return PortRow(**values | {"present": int(row.present), "quiet": int(row.quiet)})


def _reading_row(row: Row[Any]) -> ReadingRow:
    return ReadingRow(**{name: getattr(row, name) for name in ReadingRow.__dataclass_fields__})


def _change_row(row: Row[Any]) -> ChangeRow:
    values = dict(zip(ChangeRow.__dataclass_fields__, row, strict=False))
    return ChangeRow(**values | {"ending": Ending[values["ending"]] if values["ending"] else None})
