"""Deletes expired records in small batches. Everything that is kept because it happened is here; what
operators entered stays until they remove it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import Column, Connection, Table, delete, exists, select

from kiteroll.core.model.mac import MacAddress
from kiteroll.store.database import Database
from kiteroll.store.tables import (
    address_label,
    alert_message,
    change_log,
    endpoint,
    finding,
    finding_opening,
    ip_lookup,
    ip_name,
    ip_stay,
    neighbour,
    on_demand_round,
    planned_work,
    port,
    port_action,
    port_closure,
    port_link,
    port_proposal,
    port_uplink,
    reading,
    rehearsed_rule,
    stay,
    switch,
    vlan,
)

_AT_ONCE = 5000
"""Rows a transaction: some tens of milliseconds."""


@dataclass(frozen=True, slots=True)
class Deleted:
    rows: dict[str, int] = field(default_factory=dict)
    """By table."""
    endpoints: list[MacAddress] = field(default_factory=list)


def delete_expired(database: Database, *, readings_before: datetime, history_before: datetime) -> Deleted:
    """Remove tries at reading older than the one, and history older than the other: changes, ended stays,
    cleared findings, endpoints that were last seen then and of which nothing was noted, ports that were
    there last then, switches that were removed then. Open stays always stay.

    Raises StorageUnavailable; what was deleted until then is.
    """
    deleted = Deleted()
    by_key: tuple[tuple[Column[Any], Any], ...] = (
        (reading.c.id, reading.c.taken_at < readings_before),
        (on_demand_round.c.id, on_demand_round.c.ended_at < readings_before),
        (change_log.c.id, change_log.c.at < history_before),
        (stay.c.id, stay.c.ended_at < history_before),
        (ip_stay.c.id, ip_stay.c.ended_at < history_before),
        (ip_name.c.id, ip_name.c.ended_at < history_before),
        (ip_lookup.c.ip, ip_lookup.c.next_at < history_before),
        (port_uplink.c.id, port_uplink.c.ended_at < history_before),
        (port_link.c.id, port_link.c.at < history_before),
        (alert_message.c.id, alert_message.c.ended_at < history_before),
        (planned_work.c.id, planned_work.c.ends_at < history_before),
        (port_action.c.id, port_action.c.ended_at < history_before),
        (port_closure.c.id, port_closure.c.reopened_at < history_before),
        (port_proposal.c.id, port_proposal.c.decided_at < history_before),
        (rehearsed_rule.c.fingerprint, rehearsed_rule.c.rehearsed_at < history_before),
        (finding_opening.c.id, finding_opening.c.cleared_at < history_before),
        (finding.c.id, (finding.c.state == "cleared") & (finding.c.last_at < history_before)),
    )
    for key, condition in by_key:
        _in_batches(deleted, key.table.name, partial(database.run, _drop_some, key, condition))
    _drop_endpoints(database, deleted, history_before)
    _in_batches(deleted, "port", partial(database.run, _drop_ports, history_before))
    _in_batches(deleted, "switch", partial(database.run, _drop_switch, history_before), at_once=1)
    return deleted


def _in_batches(deleted: Deleted, table: str, drop: Callable[[], int], at_once: int = _AT_ONCE) -> None:
    deleted.rows.setdefault(table, 0)
    while count := drop():
        deleted.rows[table] += count
        if count < at_once:
            break


def _drop_some(connection: Connection, key: Column[Any], condition: Any) -> int:
    keys = connection.execute(select(key).where(condition).limit(_AT_ONCE)).scalars().all()
    if keys:
        connection.execute(delete(key.table).where(key.in_(keys)))
    return len(keys)


def _drop_endpoints(database: Database, deleted: Deleted, before: datetime) -> None:
    """Address by address, so that each transaction looks at a few thousand only."""
    after = -1
    while True:
        macs, gone = database.run(_drop_unseen, after, before)
        deleted.endpoints.extend(gone)
        if len(macs) < _AT_ONCE:
            break
        after = int(macs[-1])
    deleted.rows["endpoint"] = len(deleted.endpoints)


def _drop_unseen(
    connection: Connection, after: int, before: datetime
) -> tuple[Sequence[MacAddress], list[MacAddress]]:
    """Addresses behind `after` that were looked at, and those that went."""
    query = select(endpoint).where(endpoint.c.mac > after).order_by(endpoint.c.mac).limit(_AT_ONCE)
    rows = connection.execute(query).all()
    looked_at = [row.mac for row in rows]
    old = [row.mac for row in rows if row.first_seen_at < before]
    labelled = select(address_label.c.mac).where(address_label.c.mac.in_(old))
    noted = set(connection.execute(labelled).scalars())
    old = [mac for mac in old if mac not in noted]
    seen = set(connection.execute(select(stay.c.mac).where(stay.c.mac.in_(old)).distinct()).scalars())
    gone = [mac for mac in old if mac not in seen]
    if gone:
        connection.execute(delete(endpoint).where(endpoint.c.mac.in_(gone)))
    return looked_at, gone


def known_again(connection: Connection, macs: Sequence[MacAddress]) -> set[MacAddress]:
    """Those that came back meanwhile."""
    return set(connection.execute(select(endpoint.c.mac).where(endpoint.c.mac.in_(macs))).scalars())


_OF_PORT = (stay.c.port_id, change_log.c.port_id, change_log.c.origin_port_id)
"""History that names a port keeps it."""


def _drop_ports(connection: Connection, before: datetime) -> int:
    old = select(port.c.id).where(port.c.there.is_(False), port.c.oper_since < before)
    for column in _OF_PORT:
        old = old.where(~exists().where(column == port.c.id))
    ids = connection.execute(old.limit(_AT_ONCE)).scalars().all()
    if ids:
        _drop_of(connection, (port_uplink, port_link), "port_id", ids)
        connection.execute(delete(port).where(port.c.id.in_(ids)))
    return len(ids)


def _drop_switch(connection: Connection, before: datetime) -> int:
    """One that was removed, once no history names it any more."""
    old = select(switch.c.id).where(switch.c.removed_at < before)
    for column in (stay.c.switch_id, change_log.c.switch_id, reading.c.switch_id):
        old = old.where(~exists().where(column == switch.c.id))
    ids = connection.execute(old.limit(1)).scalars().all()
    if not ids:
        return 0
    ports = connection.execute(select(port.c.id).where(port.c.switch_id.in_(ids))).scalars().all()
    if ports:
        _drop_of(connection, (port_uplink, port_link), "port_id", ports)
    connection.execute(delete(ip_stay).where(ip_stay.c.source_id.in_(ids)))
    _drop_of(connection, (neighbour, vlan, port), "switch_id", ids)
    connection.execute(delete(switch).where(switch.c.id.in_(ids)))
    return 1


def _drop_of(connection: Connection, tables: Sequence[Table], column: str, ids: Sequence[int]) -> None:
    for table in tables:
        connection.execute(delete(table).where(table.c[column].in_(ids)))
