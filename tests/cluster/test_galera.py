"""Two services, one of which stands by, on three MariaDB servers in a Galera cluster."""

import signal
import socket
import threading
import time
from collections.abc import Iterator

import pytest
from sqlalchemy import Connection, text

from kiteroll.client import Client, add_switch, readings
from kiteroll.core.errors import ServiceStopping, StorageUnavailable
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease
from tests.support.galera import FOR_BUSY_MACHINES, Galera, url_of
from tests.support.harness import Lab, NewService, read_again, wait_until


@pytest.fixture(scope="module")
def galera() -> Iterator[Galera]:
    made = Galera(patience=FOR_BUSY_MACHINES)
    try:
        made.start()
        yield made
    finally:
        made.end()


def _insert(connection: Connection, number: int) -> None:
    """Again does nothing: whether the one that was killed had written it is not known to whoever asked."""
    connection.execute(text("INSERT IGNORE INTO written VALUES (:number)"), {"number": number})


def _count(connection: Connection) -> int:
    return int(connection.execute(text("SELECT COUNT(*) FROM written")).scalar_one())


def test_writing_goes_on_when_a_server_is_killed(galera: Galera) -> None:
    database = Database(galera.url, pool_size=2)
    database.run(lambda c: c.execute(text("CREATE TABLE written (number INT PRIMARY KEY)")))
    first = galera.nodes[0]
    killing = threading.Timer(0.5, first.kill)
    killing.start()
    number, refused_since, longest, goes_on_until = 0, 0.0, 0.0, float("inf")
    gives_up = time.monotonic() + 120
    while time.monotonic() < goes_on_until:
        began = time.monotonic()
        assert began < gives_up, "the servers that are left write again"
        try:
            database.run(_insert, number)
            longest = max(longest, time.monotonic() - (refused_since or began))
            number, refused_since = number + 1, 0.0
            if database.url.port != first.port:
                goes_on_until = min(goes_on_until, time.monotonic() + 2)
        except StorageUnavailable:
            refused_since = refused_since or began
            time.sleep(0.05)
        time.sleep(0.02)
    killing.join()
    assert database.run(_count) == number, "what was acknowledged is there, once"
    assert database.url.port == galera.nodes[1].port
    print(f"longest wait for a write: {longest:.1f} s, {number} writes; measured by `make chaos`")
    galera.bring_back(first)
    database.close()


def test_a_lease_holds_on_all_servers(galera: Galera) -> None:
    here, there = (Database(url_of([one]), pool_size=2) for one in galera.nodes[:2])
    ours, other = DatabaseLease(here), DatabaseLease(there)
    ours.hold()
    assert ours._renewing is not None
    ours._ending.set()
    ours._renewing.join()
    with here.engine.connect() as connection, connection.begin():
        ours.fence(connection, 0)
        other.await_turn(lambda why: None)
        # The row of the lease is in both write sets: only one of the two is certified.
        with pytest.raises(Exception, match=r"Deadlock|deadlock|1213"):
            connection.commit()
    with pytest.raises(ServiceStopping):
        here.run(ours.fence, 0)
    other.release()
    for one in (here, there):
        one.close()


def test_a_standby_goes_on_where_the_service_was_killed(
    galera: Galera, lab: Lab, new_service: NewService
) -> None:
    environment = {"KITEROLL_DATABASE_URL": galera.url, "KITEROLL_DATABASE_STANDBY": "true"}
    services = [new_service(start=False, environment=environment) for _ in range(2)]
    services[0].start()
    services[0].share_keys(services[1].data)
    services[1].start(wait=False)
    wait_until(lambda: "stands by" in services[1].log, "the second service to stand by")
    with pytest.raises(OSError):
        socket.create_connection(("127.0.0.1", services[1].port), 5)
    with services[0].client() as client:
        client.send(add_switch(lab.new_switch("quay-1")))
        read_again(client, "quay-1")
        taken = client.send(readings(switch="quay-1")).items[0].taken_at
        token = services[0].token
    began = time.monotonic()
    services[0].end(signal.SIGKILL)
    # On a busy machine it takes longer than a client waits unless told to.
    with Client(f"{services[0].url},{services[1].url}", token, pauses_s=[0.2] * 300) as client:
        known = client.all(readings(switch="quay-1"))
        print(f"the standby answered {time.monotonic() - began:.1f} s after the service was killed")
        assert client.url == services[1].url and taken in {one.taken_at for one in known}
    with services[1].client() as client:
        assert read_again(client, "quay-1").outcome == "complete", "its credential can be opened there"
    assert services[1].end() == 0
