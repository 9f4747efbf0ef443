"""What many tests share: a real MariaDB server, and the whole service on the simulated network."""

import itertools
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from sqlalchemy import text

from kiteroll.client import (
    Client,
    ServiceError,
    ServiceUnreachable,
    add_switch,
    health,
    ports,
    read_now,
    readings,
    switches,
)
from kiteroll.schemas.api import Credential, NewSwitch, ReadingSummary
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from tests.ports import free_tcp_port, free_udp_port

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
    name = f"kiteroll_{next(_numbers)}"
    with server.engine.connect() as connection:
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4"))
    fresh = Database(server.url.set(database=name), pool_size=4)
    migrate(fresh)
    yield fresh
    fresh.close()
    with server.engine.connect() as connection:
        connection.execute(text(f"DROP DATABASE {name}"))


@dataclass
class Lab:
    """The simulated network as a process of its own."""

    port: int
    process: "subprocess.Popen[str] | None" = None
    switches: dict[str, str] = field(default_factory=dict)
    access: dict[str, Credential] = field(default_factory=dict)

    def start(self) -> None:
        command = [sys.executable, "-m", "kiteroll.lab", "--still", "--port", str(self.port)]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        told = json.loads(self.process.stdout.readline())
        self.switches = {one["name"]: one["address"] for one in told["switches"]}
        self.access = {one["name"]: Credential.model_validate(one["access"]) for one in told["switches"]}

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(10)
        if self.process is not None and self.process.stdout is not None:
            self.process.stdout.close()


@dataclass
class Service:
    """`kiteroll up`, as its users start it."""

    data: Path
    port: int
    extra: tuple[str, ...] = ()
    environment: dict[str, str] = field(default_factory=dict)
    process: "subprocess.Popen[bytes] | None" = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def token(self) -> str:
        return (self.data / "token").read_text().strip()

    @property
    def log(self) -> str:
        return (self.data.parent / f"{self.data.name}.log").read_text()

    def start(self, *, wait: bool = True) -> None:
        command = [sys.executable, "-m", "kiteroll.cli", "up", "--data", str(self.data)]
        command += ["--listen-port", str(self.port), *self.extra]
        with (self.data.parent / f"{self.data.name}.log").open("ab") as log:
            environment = {**os.environ, "KITEROLL_INTERVAL": "1h", **self.environment}
            self.process = subprocess.Popen(command, stdout=log, stderr=log, env=environment)
        if wait:
            self.await_answer()

    def await_answer(self, seconds: float = 60) -> None:
        until = time.monotonic() + seconds
        while True:
            assert self.process is not None
            assert self.process.poll() is None, f"the service ended: {self.log[-2000:]}"
            try:
                with self.client() as client:
                    client.ask(health())
                return
            except (ServiceUnreachable, FileNotFoundError):
                assert time.monotonic() < until, f"no answer: {self.log[-2000:]}"
                time.sleep(0.1)

    def client(self) -> Client:
        return Client(self.url, self.token)

    def end(self, number: signal.Signals = signal.SIGTERM, seconds: float = 30) -> int:
        assert self.process is not None
        self.process.send_signal(number)
        return self.process.wait(seconds)


NewService = Callable[..., Service]


@pytest.fixture
def new_service(tmp_path: Path) -> Iterator[NewService]:
    """Makes services of one test's own; those still running afterwards are ended."""
    made: list[Service] = []

    def make(**options: Any) -> Service:
        made.append(Service(tmp_path / f"data-{len(made)}", free_tcp_port(), **options))
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
    demo = Service(data, free_tcp_port())
    demo.start()
    add_lab_switches(demo, lab)
    yield demo
    assert demo.end() == 0


def read_again(client: Client, name: str) -> ReadingSummary:
    """Read a switch now; when the schedule is at it this moment, right after."""
    while True:
        try:
            return client.ask(read_now(name))
        except ServiceError as refused:
            if refused.status != 409:
                raise
            time.sleep(0.05)


def add_lab_switches(service: Service, lab: Lab) -> None:
    """Add every switch of the lab and wait until each was read."""

    with service.client() as client:
        for name, host in lab.switches.items():
            client.ask(add_switch(NewSwitch(name=name, host=host, port=lab.port, access=lab.access[name])))
        until = time.monotonic() + 30
        while any(one.read_at is None for one in client.each(switches())):
            assert time.monotonic() < until, [reading for reading in client.each(readings())]
            time.sleep(0.1)
        # Where ports lead is worked out every few seconds, and every switch of the lab has an uplink.
        while not all(any(port.leads_to for port in client.ask(ports(name))) for name in lab.switches):
            assert time.monotonic() < until
            time.sleep(0.2)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Browser tests last: Playwright keeps an event loop running in this thread from its first page
    on, and tests that run a loop of their own could not do so any more."""
    items.sort(key=lambda item: "tests/console/" in str(item.path))
