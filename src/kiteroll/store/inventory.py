"""The inventory: switches, and the checkpoint of each between runs."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Connection, Row, and_, func, insert, select, update
from sqlalchemy.exc import IntegrityError

from kiteroll.core.errors import Conflict
from kiteroll.core.model.changes import Change
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.nearest import no_such
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.store.alert_settings import rename_planned_work
from kiteroll.store.enrolment import rename_windows
from kiteroll.store.findings import rename_findings
from kiteroll.store.port_actions import rename_actions
from kiteroll.store.port_closures import forget_closures
from kiteroll.store.ports import port_ids
from kiteroll.store.predicates import one_of
from kiteroll.store.rules import drop_rules, rename_rules
from kiteroll.store.stay_writer import record_changes
from kiteroll.store.tables import credential, port, switch


def is_read(enabled: bool, source: str) -> bool:
    """Whether somebody is to ask a switch: it is not off, nor known from files alone."""
    return enabled and source != "files"


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchRow:
    id: int
    name: str
    host: str
    udp_port: int
    site: str
    in_groups: list[str]
    notes: str
    credential_name: str | None
    """The named credential it is asked by; None when it has one of its own."""
    credential_sealed: bytes | None
    credential_kind: str
    """What may be shown of how it is asked."""
    write_credential: str | None
    """Name of the credential it is written with; None: nothing is ever written to it."""
    write_sealed: bytes | None
    source: str
    """How readings of it come: snmp, linux (bridges of this machine) or files."""
    timeout_s: float | None
    tries: int | None
    """None: as set for the service."""
    interval_s: int
    hold_time_s: int | None
    """How long a quiet address keeps its stay; None: as set for a group of it, or the service."""
    enabled: bool
    tracked_in: str
    """The area whose tracker has it; empty: the service tracks it itself."""
    added_at: datetime
    sys_name: str
    description: str
    location: str
    contact: str
    bridge_address: MacAddress | None
    ageing_s: int | None
    model: str
    serial: str
    software: str
    topology_changes: int | None
    topology_changed_at: datetime | None
    learning_discards: int | None
    discards_rose_at: datetime | None
    table_size: int | None
    clock_drift_s: float | None
    uptime_ticks: int | None
    uptime_at: datetime | None
    last_at: datetime | None
    last_complete_at: datetime | None
    read_since: datetime | None
    grace_until: datetime | None
    left_site_at: datetime | None
    health: str
    health_since: datetime | None
    tried_at: datetime | None
    next_try_at: datetime | None
    error: str | None

    @property
    def is_read(self) -> bool:
        return is_read(self.enabled, self.source)

    @property
    def ageing(self) -> timedelta | None:
        return None if self.ageing_s is None else timedelta(seconds=self.ageing_s)

    @property
    def checkpoint(self) -> SwitchCheckpoint:
        return SwitchCheckpoint(
            last_at=self.last_at,
            last_complete_at=self.last_complete_at,
            read_since=self.read_since,
            uptime_ticks=self.uptime_ticks,
            uptime_at=self.uptime_at,
            grace_until=self.grace_until,
            learning_discards=self.learning_discards,
            discards_rose_at=self.discards_rose_at,
            bridge_address=self.bridge_address,
        )


_CREDENTIAL_NAME = (
    select(credential.c.name).where(credential.c.id == switch.c.credential_id).scalar_subquery()
)
_CREDENTIAL_SEALED = (
    select(credential.c.sealed).where(credential.c.id == switch.c.credential_id).scalar_subquery()
)
_WRITE_CREDENTIAL = (
    select(credential.c.name).where(credential.c.id == switch.c.write_credential_id).scalar_subquery()
)
_WRITE_SEALED = (
    select(credential.c.sealed).where(credential.c.id == switch.c.write_credential_id).scalar_subquery()
)
_NOT_ITS_OWN: dict[str, ColumnElement[Any]] = {
    "credential_name": _CREDENTIAL_NAME.label("credential_name"),
    "credential_sealed": func.coalesce(switch.c.credential_sealed, _CREDENTIAL_SEALED).label(
        "credential_sealed"
    ),
    "write_credential": _WRITE_CREDENTIAL.label("write_credential"),
    "write_sealed": _WRITE_SEALED.label("write_sealed"),
}
SWITCH_COLUMNS: tuple[ColumnElement[Any], ...] = tuple(
    _NOT_ITS_OWN[name] if name in _NOT_ITS_OWN else switch.c[name] for name in SwitchRow.__dataclass_fields__
)


def switch_row(row: Row[Any]) -> SwitchRow:
    """Of a row that begins with SWITCH_COLUMNS."""
    return SwitchRow(**dict(zip(SwitchRow.__dataclass_fields__, row, strict=False)))


def add_switch(connection: Connection, at: datetime, **values: Any) -> SwitchRow:
    """`values` are columns of the switch table. Raises Conflict when the name is taken."""
    name = values["name"]
    try:
        done = connection.execute(insert(switch).values(name_key=name, added_at=at, **values))
    except IntegrityError as taken:
        raise Conflict(
            f"there is a switch {name!r} already: choose another name, or change that one"
        ) from taken
    key = done.inserted_primary_key
    if key is None:
        raise AssertionError("an inserted switch has a primary key")
    return switch_by_id(connection, key[0])


def change_switch(
    connection: Connection, at: datetime, switch_name: str, changes: Mapping[str, Any]
) -> SwitchRow:
    """Set columns of a switch. Raises NotFound, or Conflict when the new name is taken."""
    row = get_switch(connection, switch_name)
    values = dict(changes)
    stays_read = is_read(values.get("enabled", row.enabled), values.get("source", row.source))
    if row.is_read and not (stays_read and values.get("site", row.site) == row.site):
        values |= _left(row, at)
    if "name" in values:
        values["name_key"] = values["name"]
    if values:
        try:
            connection.execute(update(switch).where(switch.c.id == row.id).values(**values))
            if values.get("name", row.name) != row.name:
                rename_rules(connection, row.name, values["name"])
                rename_windows(connection, row.name, values["name"])
                rename_actions(connection, row.name, values["name"])
                rename_planned_work(connection, row.name, values["name"])
                rename_findings(connection, at, row.name, values["name"])
        except IntegrityError as taken:
            raise Conflict(f"there is a switch {values['name']!r} already: choose another name") from taken
    return switch_by_id(connection, row.id)


def remove_switch(connection: Connection, switch_id: int, at: datetime, changes: tuple[Change, ...]) -> None:
    """Take a switch out of the inventory; its stays end by `changes`, its history is kept."""
    record_changes(connection, switch_id, changes, port_ids(connection, switch_id))
    row = switch_by_id(connection, switch_id)
    drop_rules(connection, row.name)
    forget_closures(connection, row.name, at)
    connection.execute(
        update(switch)
        .where(switch.c.id == switch_id)
        .values(
            removed_at=at,
            enabled=False,
            name_key=func.concat(switch.c.name, f"#{switch_id}"),
            credential_sealed=None,
            write_credential_id=None,
            **(_left(row, at) if row.is_read else {}),
        )
    )


def _left(row: SwitchRow, at: datetime) -> dict[str, Any]:
    """Its site reads it no more; readings of it may be on their way."""
    return {"left_site": row.site, "left_site_at": at}


def get_switch(connection: Connection, name: str) -> SwitchRow:
    """Raises NotFound."""
    row = connection.execute(
        select(*SWITCH_COLUMNS).where(switch.c.name_key == name, switch.c.removed_at.is_(None))
    ).one_or_none()
    if row is None:
        names = connection.execute(select(switch.c.name).where(switch.c.removed_at.is_(None))).scalars()
        raise no_such("switch", name, names)
    return switch_row(row)


def switches_named(connection: Connection, names: Collection[str]) -> dict[str, SwitchRow]:
    """Those of the inventory among `names`."""
    query = select(*SWITCH_COLUMNS).where(switch.c.name_key.in_(names), switch.c.removed_at.is_(None))
    return {row.name: switch_row(row) for row in connection.execute(query)}


def all_switches(connection: Connection, of: Collection[int] | None = None) -> list[SwitchRow]:
    """Of the inventory; `of`: of these ids alone."""
    there = switch.c.removed_at.is_(None)
    chosen = there if of is None else and_(there, one_of(switch.c.id, of))
    return [switch_row(row) for row in connection.execute(select(*SWITCH_COLUMNS).where(chosen))]


def bridge_addresses(connection: Connection) -> list[tuple[str, MacAddress]]:
    """Name and bridge address of every switch that reported one."""
    columns = (switch.c.name, switch.c.bridge_address)
    rows = connection.execute(
        select(*columns).where(switch.c.removed_at.is_(None), switch.c.bridge_address.is_not(None))
    )
    return [(name, address) for name, address in rows]


def agent_address(host: str, udp_port: int, source: str) -> str:
    """Host and port at which a switch is asked over SNMP; empty where it is not."""
    return f"{host}:{udp_port}" if source == "snmp" else ""


def asked_at(connection: Connection, hosts: Collection[str]) -> dict[str, list[str]]:
    """Of each agent address at these hosts, the names of the switches that are asked there."""
    query = select(switch.c.name, switch.c.host, switch.c.udp_port, switch.c.source)
    query = query.where(switch.c.removed_at.is_(None), switch.c.source == "snmp", switch.c.host.in_(hosts))
    found: dict[str, list[str]] = {}
    for name, *where in connection.execute(query):
        found.setdefault(agent_address(*where), []).append(name)
    return found


def switch_addresses(connection: Connection) -> frozenset[MacAddress]:
    """Bridge addresses of the inventory: what is learned under them is a switch, no endpoint."""
    return frozenset(address for _, address in bridge_addresses(connection))


def port_numbers(connection: Connection, switch_id: int) -> Mapping[int, str]:
    """Port number to name, of the ports the switch has now."""
    rows = connection.execute(
        select(port.c.number, port.c.name).where(port.c.switch_id == switch_id, port.c.there)
    )
    return {number: name for number, name in rows}


def switch_by_id(connection: Connection, switch_id: int) -> SwitchRow:
    return switch_row(connection.execute(select(*SWITCH_COLUMNS).where(switch.c.id == switch_id)).one())
