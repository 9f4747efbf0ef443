"""Writes readings and the changes they bring: one transaction each, at a cost that grows with change."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any, TypeVar

from sqlalchemy import Connection, Update, bindparam, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError

from kiteroll.core.model.changes import Appeared, Change, Moved
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Neighbour, Port, Reading, Vlan
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.store.addresses import merge_addresses
from kiteroll.store.database import Database
from kiteroll.store.neighbours import replace_neighbours
from kiteroll.store.ports import merge_ports, merge_vlans, port_ids
from kiteroll.store.stay_writer import record_changes
from kiteroll.store.tables import reading, stay, switch
from kiteroll.store.types import Instant

_DUPLICATE = 1062
T = TypeVar("T")
Fence = Callable[[Connection, int], None]
"""Raises in a transaction that must not commit what it writes of a switch, by id."""


@dataclass(frozen=True, slots=True)
class Book:
    """What is written of a switch's ports and VLANs: spares reading it back for every reading."""

    ports: tuple[Port, ...]
    vlans: tuple[Vlan, ...]
    neighbours: tuple[Neighbour, ...]
    addresses: Mapping[str, MacAddress] | None
    """Open entries of its neighbour cache; None when not looked up yet."""
    ids: Mapping[str, int]
    """Port name to id, of every port the switch ever had."""


class ReadingWriter:
    """The one writer of readings. Its books are changed only after a commit."""

    def __init__(self, database: Database, fence: Fence | None = None) -> None:
        """`fence`: raises in a transaction that must not commit any more."""
        self._database = database
        self._fence = fence
        self._books: dict[int, Book] = {}

    def write_reading(
        self,
        switch_id: int,
        taken: Reading,
        changes: Sequence[Change],
        checkpoint: SwitchCheckpoint,
        next_try_at: datetime | None = None,
    ) -> None:
        """Store a reading and all it changed, in one transaction. Raises StorageUnavailable."""
        book = self._books.get(switch_id)
        work = (switch_id, taken, changes, checkpoint, next_try_at, book)
        self._books[switch_id] = self._run(_record_reading, *work)

    def write_probe(self, switch_id: int, changes: Sequence[Change], checkpoint: SwitchCheckpoint) -> None:
        """Store what a probe of one address changed. No reading is written: none was taken."""
        self._run(_record_probe, switch_id, changes, checkpoint)

    def write_failure(
        self,
        switch_id: int,
        at: datetime,
        duration_ms: int,
        health: str,
        error: str,
        next_try_at: datetime | None = None,
    ) -> None:
        """Store that a try at reading a switch failed, and why. Raises StorageUnavailable."""
        self._run(_record_failure, switch_id, at, duration_ms, health, error, next_try_at)

    def _run(self, record: Callable[..., T], switch_id: int, *args: Any) -> T:
        if self._fence is None:
            return self._database.run(record, switch_id, *args)
        fence = self._fence

        def fenced(connection: Connection) -> T:
            fence(connection, switch_id)
            return record(connection, switch_id, *args)

        fenced.__name__ = record.__name__
        return self._database.run(fenced)

    def write_late(self, switch_id: int, taken: Reading) -> None:
        """Store that a reading was taken before one that is stored already: what it shows is overtaken, and
        changes nothing. The same again changes nothing either. Raises StorageUnavailable."""
        self._run(_insert_reading, switch_id, taken, 0)

    def write_late_failure(self, switch_id: int, at: datetime, duration_ms: int, error: str) -> None:
        """The same of a try that failed."""
        self._run(_insert_failure, switch_id, at, duration_ms, error)

    def forget(self, switch_id: int | None = None) -> None:
        """Drop what is remembered, of one switch or of all; its next reading looks it up again."""
        if switch_id is None:
            self._books.clear()
        else:
            self._books.pop(switch_id, None)


def _record_reading(
    connection: Connection,
    switch_id: int,
    taken: Reading,
    changes: Sequence[Change],
    checkpoint: SwitchCheckpoint,
    next_try_at: datetime | None,
    book: Book | None,
) -> Book:
    if not _insert_reading(connection, switch_id, taken, len(changes)):
        # Kept before: a commit whose answer was lost, run again.
        return Book((), (), (), None, port_ids(connection, switch_id))
    _update_switch(connection, switch_id, taken, checkpoint, next_try_at)
    ids = book.ids if book and book.ports == taken.ports else merge_ports(connection, switch_id, taken)
    if book is None or book.vlans != taken.vlans:
        merge_vlans(connection, switch_id, taken)
    neighbours = taken.neighbours
    if any(gap.table.startswith("lldp") for gap in taken.gaps):
        neighbours = book.neighbours if book else ()  # not read whole: what was announced before stands
    elif book is None or book.neighbours != neighbours:
        replace_neighbours(connection, switch_id, taken)
    addresses = merge_addresses(connection, switch_id, taken, book.addresses if book else None)
    record_changes(connection, switch_id, changes, ids)
    return Book(taken.ports, taken.vlans, neighbours, addresses, ids)


def _record_probe(
    connection: Connection, switch_id: int, changes: Sequence[Change], checkpoint: SwitchCheckpoint
) -> None:
    if not changes:
        return
    begun = [change.stay for change in changes if isinstance(change, Appeared | Moved)]
    if begun and connection.execute(select(stay.c.id).where(stay.c.id.in_(begun))).first():
        return  # kept before: a commit whose answer was lost, run again
    connection.execute(update(switch).where(switch.c.id == switch_id).values(last_at=checkpoint.last_at))
    record_changes(connection, switch_id, changes, port_ids(connection, switch_id))


def _record_failure(
    connection: Connection,
    switch_id: int,
    at: datetime,
    duration_ms: int,
    health: str,
    error: str,
    next_try_at: datetime | None,
) -> None:
    _insert_failure(connection, switch_id, at, duration_ms, error)
    _set_switch(connection, switch_id, at, health, error, next_try_at=next_try_at)


def _insert_failure(
    connection: Connection, switch_id: int, at: datetime, duration_ms: int, error: str
) -> None:
    statement = insert(reading).values(
        switch_id=switch_id,
        taken_at=at,
        duration_ms=duration_ms,
        outcome="failed",
        row_count=0,
        change_count=0,
        gaps=[],
        error=error,
    )
    connection.execute(statement.on_duplicate_key_update(error=statement.inserted.error))


_INSERT_READING = insert(reading)
"""Made once: with each reading, the statement would cost more than what it writes."""


def _insert_reading(connection: Connection, switch_id: int, taken: Reading, change_count: int) -> bool:
    gaps = [
        {"table": gap.table, "why": gap.why, "rows": gap.rows, "breaks": gap.breaks} for gap in taken.gaps
    ]
    try:
        connection.execute(
            _INSERT_READING,
            {
                "switch_id": switch_id,
                "taken_at": taken.taken_at,
                "duration_ms": round(taken.duration.total_seconds() * 1000),
                "outcome": "complete" if taken.complete else "partial",
                "row_count": len(taken.learned) + len(taken.others),
                "change_count": change_count,
                "gaps": gaps,
            },
        )
    except IntegrityError as error:
        if error.orig is not None and error.orig.args[0] == _DUPLICATE:
            return False
        raise
    return True


def _update_switch(
    connection: Connection,
    switch_id: int,
    taken: Reading,
    checkpoint: SwitchCheckpoint,
    next_try_at: datetime | None,
) -> None:
    device = taken.device
    broken = "; ".join(f"{gap.table}: {gap.why}" for gap in taken.gaps if gap.breaks)
    _set_switch(
        connection,
        switch_id,
        taken.taken_at,
        "read" if taken.complete else "partial",
        broken or None,
        sys_name=device.name,
        description=device.description,
        location=device.location,
        contact=device.contact,
        bridge_address=device.bridge_address,
        ageing_s=None if device.ageing is None else int(device.ageing.total_seconds()),
        model=device.model,
        serial=device.serial,
        software=device.software,
        topology_changes=device.topology_changes,
        topology_changed_at=device.topology_changed_at,
        discards_rose_at=checkpoint.discards_rose_at,
        learning_discards=checkpoint.learning_discards,
        clock_drift_s=None if checkpoint.drift is None else checkpoint.drift.total_seconds(),
        last_at=checkpoint.last_at,
        last_complete_at=checkpoint.last_complete_at,
        read_since=checkpoint.read_since,
        uptime_ticks=checkpoint.uptime_ticks,
        uptime_at=checkpoint.uptime_at,
        grace_until=checkpoint.grace_until,
        next_try_at=next_try_at,
    )


def _set_switch(
    connection: Connection, switch_id: int, at: datetime, health: str, error: str | None, **values: Any
) -> None:
    values |= {"health": health, "tried_at": at, "error": error}
    given = {f"to_{name}": value for name, value in values.items()}
    connection.execute(_switch_update(tuple(values)), given | {"of_switch": switch_id})


@lru_cache
def _switch_update(names: tuple[str, ...]) -> Update:
    """Sets these columns, of `of_switch` to what is given as `to_` and the name. Made once for the same
    columns."""
    health, since = switch.c.health, switch.c.health_since
    # MariaDB assigns from left to right, so `health_since` still sees the old health.
    at = bindparam("to_tried_at", type_=Instant)
    return (
        update(switch)
        .where(switch.c.id == bindparam("of_switch"))
        .ordered_values(
            (since, func.if_(health == bindparam("to_health", type_=health.type), since, at)),
            *((switch.c[name], bindparam(f"to_{name}", type_=switch.c[name].type)) for name in names),
        )
    )
