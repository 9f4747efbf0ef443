"""One service at a time has a named database, and one that lost it writes no more."""

import os
import threading

import pytest
from sqlalchemy import Connection, text

from kiteroll.core.errors import Conflict, ServiceStopping
from kiteroll.store import database_lease
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease


@pytest.fixture(autouse=True)
def _short(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(database_lease, "LEASE_S", 1.0)
    monkeypatch.setattr(database_lease, "RENEW_EVERY_S", 0.2)
    monkeypatch.setattr(database_lease, "_LOOK_EVERY_S", 0.05)


def _write(connection: Connection, lease: DatabaseLease) -> None:
    lease.fence(connection, 0)
    connection.execute(text("INSERT INTO saved_query VALUES (NULL, 'mara', UUID(), '/', 0, '2026-05-04')"))


def _rows(connection: Connection) -> int:
    return int(connection.execute(text("SELECT COUNT(*) FROM saved_query")).scalar_one())


def _stop_renewing(lease: DatabaseLease) -> None:
    """As when its machine is cut off."""
    lease._ending.set()
    assert lease._renewing is not None
    lease._renewing.join()


def test_what_is_renewed_is_in_use_and_what_is_given_back_is_free(database: Database) -> None:
    ours, other = DatabaseLease(database), DatabaseLease(database)
    ours.hold()
    with pytest.raises(Conflict, match=r"database\.standby") as taken:
        other.hold()
    assert f"process {os.getpid()}" in str(taken.value)
    ours.check()
    ours.release()
    other.hold()
    other.release()


def test_who_was_taken_over_is_reported_and_writes_nothing_more(database: Database) -> None:
    ours, standby = DatabaseLease(database), DatabaseLease(database)
    ours.hold()
    database.run(_write, ours)
    _stop_renewing(ours)
    reported: list[str] = []
    standby.await_turn(reported.append)  # nobody renews ours: it runs out
    assert all("database.standby" not in one for one in reported), "it stands by already"
    with pytest.raises(ServiceStopping, match="took over"):
        database.run(_write, ours)
    assert database.run(_rows) == 1
    ours._ending.clear()
    ours._renew()
    with pytest.raises(Conflict, match="another Kite Roll"):
        ours.check()
    ours.release()  # is not ours to give back
    standby.check()
    database.run(_write, standby)
    standby.release()


def test_of_two_that_want_it_one_gets_it(database: Database) -> None:
    leases = [DatabaseLease(database) for _ in range(4)]
    got: list[DatabaseLease] = []

    def want(lease: DatabaseLease) -> None:
        try:
            lease.hold()
            got.append(lease)
        except Conflict:
            return

    threads = [threading.Thread(target=want, args=(one,)) for one in leases]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert len(got) == 1
    got[0].release()
