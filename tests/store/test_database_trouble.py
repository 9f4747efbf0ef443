"""Whatever is wrong with the database is one kind of error, reported in bounded time."""

import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy import Connection, text
from sqlalchemy.exc import OperationalError

from kiteroll.core.errors import StorageUnavailable
from kiteroll.store import database as gate
from kiteroll.store.database import Database
from kiteroll.store.database_errors import translated
from kiteroll.store.private_server import PrivateServer
from tests.support.database_proxy import DatabaseProxy


def _seven(connection: Connection) -> int:
    return int(connection.execute(text("SELECT 7")).scalar_one())


def _make_table(connection: Connection) -> None:
    connection.execute(text("CREATE TABLE trouble (id INT PRIMARY KEY)"))


@pytest.fixture
def proxy(database: Database) -> Iterator[DatabaseProxy]:
    with DatabaseProxy(database.url) as proxy:
        yield proxy


def test_a_database_that_says_nothing_is_away_after_the_time_it_is_given(proxy: DatabaseProxy) -> None:
    ours = Database(proxy.url, pool_size=1, overflow=0, answer_s=1)
    assert ours.run(_seven) == 7
    proxy.hold_back()
    began = time.monotonic()
    with pytest.raises(StorageUnavailable, match="does not answer"):
        ours.run(_seven)
    assert time.monotonic() - began < 20, "bounded, on any machine"
    proxy.pass_on()
    assert ours.run(_seven) == 7
    ours.close()


def test_whoever_waits_for_the_database_is_let_go_when_the_service_ends(proxy: DatabaseProxy) -> None:
    ours = Database(proxy.url, pool_size=1, overflow=0, answer_s=600)
    assert ours.run(_seven) == 7
    proxy.hold_back()
    reported: list[str] = []

    def wait() -> None:
        with pytest.raises(StorageUnavailable) as away:
            ours.run(_seven)
        reported.append(str(away.value))

    waiting = threading.Thread(target=wait)
    waiting.start()
    while not ours.engine.pool.status().count("Current Checked out connections: 1"):  # type: ignore[attr-defined]
        time.sleep(0.01)
    ours.abort()
    waiting.join(20)
    assert reported and not waiting.is_alive()
    with pytest.raises(StorageUnavailable, match="stopping"):
        ours.run(_seven)


def test_whoever_stops_in_the_middle_of_a_transaction_holds_up_nobody_for_long(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    database.run(_make_table)
    monkeypatch.setattr(gate, "_IDLE_S", 1)
    stopped = Database(database.url, pool_size=1, overflow=0)
    insert = text("INSERT INTO trouble VALUES (1)")
    with pytest.raises(OperationalError), stopped.engine.begin() as connection:
        connection.execute(insert)
        database.run(lambda other: other.execute(insert))  # waits for the row, and has it
    assert database.run(lambda other: other.execute(text("SELECT COUNT(*) FROM trouble")).scalar_one()) == 1
    stopped.close()


def test_a_pool_that_is_used_up_is_reported_as_such(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gate, "_POOL_TIMEOUT_S", 0.05)
    ours = Database(database.url, pool_size=1, overflow=0)
    with ours.engine.connect():
        for work in (lambda: ours.run(_seven), ours.check, lambda: next(ours.stream(lambda _: iter([1])))):
            with pytest.raises(StorageUnavailable, match="all 1 connections"):
                work()
    ours.close()


def test_work_that_fails_leaves_nothing_in_the_connection_it_used(database: Database) -> None:
    ours = Database(database.url, pool_size=1, overflow=0)
    ours.run(_make_table)

    def fail(connection: Connection) -> None:
        connection.execute(text("INSERT INTO trouble VALUES (1)"))
        raise ValueError("half-way")

    def rows(connection: Connection) -> int:
        return int(connection.execute(text("SELECT COUNT(*) FROM trouble")).scalar_one())

    for run in (ours.run, lambda work: ours.in_one_transaction(ours.run, work)):
        with pytest.raises(ValueError, match="half-way"):
            run(fail)
        assert ours.run(rows) == 0
    with ours.engine.connect() as connection:
        connection.execute(text("INSERT INTO trouble VALUES (2)"))  # and nobody commits it
    assert ours.run(rows) == 0
    ours.close()


def test_what_asks_in_one_transaction_shares_a_connection(database: Database) -> None:
    def number(connection: Connection) -> int:
        return int(connection.execute(text("SELECT CONNECTION_ID()")).scalar_one())

    def ask() -> set[int]:
        with ThreadPoolExecutor(1) as another:
            return {database.run(number), database.run(number), another.submit(database.run, number).result()}

    def twice() -> int:
        one, another = database.in_one_transaction(ask), database.in_one_transaction(ask)
        return len(one | another | {database.run(number)})

    assert len(database.in_one_transaction(ask)) == 2
    assert database.in_one_transaction(twice) == 2, "the same one within, and behind, one inside another"
    assert database.run(_seven) == 7


def test_a_database_that_takes_no_writes_is_away_until_it_does(database: Database) -> None:
    ours = Database(database.url, pool_size=1, overflow=0)
    ours.run(_make_table)
    row = text("INSERT INTO trouble VALUES (1)")

    def take_writes(yes: bool) -> None:
        mode = text(f"SET SESSION TRANSACTION READ {'WRITE' if yes else 'ONLY'}")
        ours.run(lambda connection: connection.execute(mode))

    take_writes(False)
    with pytest.raises(StorageUnavailable, match="takes no writes"):
        ours.run(lambda connection: connection.execute(row))
    take_writes(True)
    ours.run(lambda connection: connection.execute(row))
    ours.close()


def test_a_row_that_is_locked_too_long_is_reported(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gate, "_LOCK_WAIT_S", 1)
    ours = Database(database.url)
    ours.run(_make_table)
    lock = text("INSERT INTO trouble VALUES (1)")
    with database.engine.begin() as other:
        other.execute(lock)
        with pytest.raises(StorageUnavailable, match="too slow for <lambda>"):
            ours.run(lambda connection: connection.execute(lock))
    ours.close()


@pytest.mark.parametrize(
    "number", [1040, 1021, 1030, 1047, 1142, 1203, 1205, 1226, 1290, 1317, 1836, 2006, 2013]
)
def test_trouble_of_the_server_is_no_bug_of_ours(number: int) -> None:
    error = OperationalError("INSERT", {}, Exception(number, "said the server"))
    assert isinstance(translated(error, "write_reading", "mysql://db"), StorageUnavailable)


def test_a_bug_of_ours_is_no_trouble_of_the_server() -> None:
    error = OperationalError("INSERT", {}, Exception(1054, "Unknown column"))
    assert translated(error, "write_reading", "mysql://db") is error


def test_a_private_server_that_cannot_be_started_now_can_be_later(tmp_path: Path) -> None:
    """As on a full disk: the service tries again, and a worker that fails would be a bug of ours."""
    server = PrivateServer(tmp_path / "database")
    (server.directory / "start.sql").mkdir(parents=True)
    with pytest.raises(StorageUnavailable, match=r"cannot be started: .*start\.sql"):
        server.start()
    assert not server.running()
    (server.directory / "start.sql").rmdir()
    (server.directory / "port").write_text("")
    try:
        Database(server.start(), pool_size=1).close()
    finally:
        server.stop()
