"""What many tests share: a real MariaDB server, and the whole service on the simulated network."""

import itertools
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from sqlalchemy import text

from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from tests.support.harness import Lab, NewService, Service, add_lab_switches
from tests.support.ports import free_tcp_port, free_udp_port

# The machines are shared: how long an example takes says nothing of the code.
settings.register_profile("shared", deadline=None)
settings.load_profile("shared")

_numbers = itertools.count(1)


@pytest.fixture(scope="session", autouse=True)
def _snmp_programs_begin_anew(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What net-snmp's programs keep on the machine from earlier runs makes them misread engines."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("SNMP_PERSISTENT_DIR", str(tmp_path_factory.mktemp("net-snmp")))
        yield


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A private MariaDB server; the connection to its first database."""
    private = PrivateServer(tmp_path_factory.mktemp("mariadb"))
    database = Database(private.start(), pool_size=2)
    yield database
    database.close()
    private.stop()


@pytest.fixture
def database(server: Database) -> Iterator[Database]:
    """An empty database with today's tables, for one test."""
    yield from _new_database(server)


@pytest.fixture(scope="module")
def module_database(server: Database) -> Iterator[Database]:
    """The same for the tests of a module."""
    yield from _new_database(server)


def _new_database(server: Database) -> Iterator[Database]:
    name = f"kiteroll_{next(_numbers)}"
    with server.engine.connect() as connection:
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4"))
    fresh = Database(server.url.set(database=name), pool_size=4)
    migrate(fresh)
    yield fresh
    fresh.close()
    with server.engine.connect() as connection:
        connection.execute(text(f"DROP DATABASE {name}"))


@pytest.fixture
def new_service(tmp_path: Path) -> Iterator[NewService]:
    """Makes services of one test's own; those still running afterwards are ended."""
    made: list[Service] = []

    def make(*, start: bool = True, **options: Any) -> Service:
        made.append(Service(tmp_path / f"data-{len(made)}", free_tcp_port(), **options))
        if start:
            made[-1].start()
        return made[-1]

    yield make
    for one in made:
        if one.process is not None and one.process.poll() is None:
            one.end()


@pytest.fixture(scope="session")
def lab() -> Iterator[Lab]:
    network = Lab(free_udp_port())
    network.start()
    yield network
    network.stop()


@pytest.fixture(scope="session")
def service(lab: Lab, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """The demo: service and network at peace, every switch read at least once."""
    data = tmp_path_factory.mktemp("demo") / "data"
    demo = Service(data, free_tcp_port(), anew=True)
    demo.start()
    add_lab_switches(demo, lab)
    yield demo
    assert demo.end() == 0


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Browser tests last: Playwright keeps an event loop running in this thread from its first page
    on, and tests that run a loop of their own could not do so any more. Of those the longest files
    first, for workers take whole files, and none is to be left with a long one at the end."""
    tests_in = Counter(item.path for item in items)

    def place(item: pytest.Item) -> tuple[bool, int]:
        browser = "tests/console/" in str(item.path)
        return browser, -tests_in[item.path] if browser else 0

    items.sort(key=place)
