"""Migrations: cut off anywhere they go on, and what an earlier version stored is there after each."""

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from datetime import datetime
from itertools import count
from typing import Any

import pytest
from alembic.script import ScriptDirectory
from sqlalchemy import Column, Connection, MetaData, event, func, insert, inspect, select, text

from kiteroll.core.errors import Conflict, StorageUnavailable
from kiteroll.core.topology.cables import Cable, UplinkRecord
from kiteroll.core.topology.roles import RoleEvidence
from kiteroll.store import inventory, port_history
from kiteroll.store.database import Database
from kiteroll.store.migrate import MIGRATIONS, bring_up_to_date, migrate
from kiteroll.store.tables import metadata
from tests.support.factories import NOON
from tests.support.harness import wait_until


class CutOff(Exception):
    """What a kill at that statement would be."""


@pytest.fixture
def empty(server: Database) -> Iterator[Database]:
    with server.engine.connect() as connection:
        connection.execute(text("CREATE DATABASE kiteroll_migrated CHARACTER SET utf8mb4"))
    fresh = Database(server.url.set(database="kiteroll_migrated"), pool_size=2)
    yield fresh
    fresh.close()
    with server.engine.connect() as connection:
        connection.execute(text("DROP DATABASE kiteroll_migrated"))


@contextmanager
def _cut_at(database: Database, statement: int, moment: str) -> Iterator[None]:
    """The `statement`th from here on is the last: it is not run, or nothing after it is."""
    numbers = count(1)

    def cut(*_: Any) -> None:
        if next(numbers) == statement:
            raise CutOff

    event.listen(database.engine, moment, cut)
    try:
        yield
    finally:
        event.remove(database.engine, moment, cut)


def _columns(connection: Connection, table: str) -> dict[str, bool]:
    """Whether each may be null, as the server says: reflection misreads compressed ones."""
    query = text(
        "SELECT column_name, is_nullable = 'YES' FROM information_schema.columns "
        "WHERE table_schema = DATABASE() AND table_name = :name"
    )
    return {name: bool(nullable) for name, nullable in connection.execute(query, {"name": table})}


def _assert_whole(database: Database) -> None:
    found = inspect(database.engine)
    for table in metadata.sorted_tables:
        columns = database.run(_columns, table.name)
        assert columns == {column.name: column.nullable for column in table.columns}, table.name
        indexes = {index["name"] for index in found.get_indexes(table.name)}
        assert indexes >= {index.name for index in table.indexes}, table.name
    assert set(found.get_table_names()) == {*metadata.tables, "alembic_version"}


def _is_cut(database: Database, statement: int, moment: str) -> bool:
    try:
        with _cut_at(database, statement, moment):
            migrate(database)
    except CutOff:
        return True
    return False


def test_a_migration_that_is_cut_off_at_any_statement_goes_on_with_the_next_start(empty: Database) -> None:
    """Each try gets one statement further: before it, then after it. What earlier tries did is there."""
    cuts = 0
    while _is_cut(empty, cuts + 1, "before_cursor_execute"):
        cuts += _is_cut(empty, cuts + 1, "after_cursor_execute")
    assert cuts > len(metadata.tables), "every table was a statement of its own"
    migrate(empty)
    _assert_whole(empty)


REVISIONS = [one.revision for one in ScriptDirectory(str(MIGRATIONS)).walk_revisions()]


@pytest.mark.parametrize("revision", REVISIONS)
def test_what_a_version_stored_is_there_after_the_upgrade_from_it(empty: Database, revision: str) -> None:
    migrate(empty, revision)
    tables = MetaData()
    tables.reflect(empty.engine)
    filled = [table for table in tables.sorted_tables if table.name != "alembic_version"]
    assert len(filled) > 20
    with empty.engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks = 0"))
        for table in filled:
            connection.execute(insert(table), {column.name: _sample(column) for column in table.columns})
    migrate(empty)
    with empty.engine.connect() as connection:
        for table in filled:
            assert connection.execute(select(func.count()).select_from(table)).scalar_one() == 1, table.name
    assert [row.name for row in empty.run(inventory.all_switches)] == []
    _assert_whole(empty)


def _sample(column: Column[Any]) -> Any:
    """Some value that the column takes."""
    kind = column.type.python_type
    if kind is datetime:
        return NOON.replace(tzinfo=None)
    if kind is str:
        return "[]" if column.type.length is None else "x"[: column.type.length]  # type: ignore[attr-defined]
    return kind(1) if kind is not bytes else b"x"


def test_a_statement_may_take_longer_than_the_service_waits_for_answers(empty: Database) -> None:
    migrate(empty, "0016")
    impatient = Database(empty.url, pool_size=1, answer_s=1)
    waits = text(
        "SELECT COUNT(*) FROM information_schema.processlist WHERE db = DATABASE() AND time_ms > 1500 "
        "AND state LIKE 'Waiting for table metadata lock'"
    )
    with empty.engine.connect() as busy, ThreadPoolExecutor() as threads:
        busy.execute(text("LOCK TABLES on_demand_round WRITE"))
        with closing(impatient), pytest.raises(StorageUnavailable):
            migrate(impatient)
        upgrade = threads.submit(bring_up_to_date, empty.url)
        wait_until(lambda: busy.execute(waits).scalar_one() > 0, "the upgrade to wait")
        busy.execute(text("UNLOCK TABLES"))
        upgrade.result(timeout=60)
    _assert_whole(empty)


def test_uplinks_of_before_name_their_switches_by_id(empty: Database) -> None:
    migrate(empty, "0018")
    tables = MetaData()
    tables.reflect(empty.engine)
    named = {"leads_to": ["quay-1", "gone"], "adjacent": ["quay-1"], "witnesses": ["quay-1"]}
    rows: list[tuple[str, dict[str, Any]]] = [
        ("switch", {"id": 7, "name": "quay-1", "name_key": "quay-1"}),
        ("port", {"id": 3, "name": "p24"}),
        ("port_uplink", {"port_id": 3, "evidence": "LLDP neighbour", "ended_at": None} | named),
    ]
    with empty.engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks = 0"))
        for name, values in rows:
            table = tables.tables[name]
            unsaid = {
                c.name: None if c.nullable else _sample(c) for c in table.columns if c.name not in values
            }
            as_stored = {
                one: json.dumps(value) if isinstance(value, list) else value for one, value in values.items()
            }
            connection.execute(insert(table), unsaid | as_stored)
    migrate(empty)
    recorded = UplinkRecord(("quay-1",), Cable.OPEN, RoleEvidence.NEIGHBOUR, ("quay-1",), ("quay-1",))
    assert empty.run(port_history.open_uplinks) == {3: recorded}


def test_a_database_of_a_newer_version_is_left_alone(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(Conflict, match="newer Kite Roll"):
        migrate(database)
