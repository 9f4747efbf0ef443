"""The lab and the service as processes of their own, as their users start them."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

from kiteroll.client import (
    Client,
    ServiceUnreachable,
    add_switch,
    health,
    ports,
    read_now,
    switches,
)
from kiteroll.core.errors import Invalid
from kiteroll.data_dir import KEY_FILE, TOKEN_FILE
from kiteroll.schemas.api import Credential, NewSwitch, ReadingSummary
from tests.support.program_starter import StartedProgram, starter


@dataclass
class Lab:
    """The simulated network as a process of its own."""

    port: int
    story: bool = False
    """Whether the half hour of events of the demo happens on it."""
    process: "subprocess.Popen[str] | None" = None
    sites: dict[str, str] = field(default_factory=dict)
    switches: dict[str, str] = field(default_factory=dict)
    access: dict[str, Credential] = field(default_factory=dict)

    def start(self) -> None:
        command = [sys.executable, "-m", "kiteroll.lab", "--port", str(self.port)]
        command += [] if self.story else ["--still"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        reported = json.loads(self.process.stdout.readline())
        self.switches = {one["name"]: one["address"] for one in reported["switches"]}
        self.sites = {one["name"]: one["about"]["site"] for one in reported["switches"]}
        self.access = {one["name"]: Credential.model_validate(one["access"]) for one in reported["switches"]}

    def new_switch(self, name: str, **values: Any) -> NewSwitch:
        """For the inventory: one of its switches, with the credential it takes."""
        given = {"name": name, "host": self.switches[name], "port": self.port, "access": self.access[name]}
        return NewSwitch.model_validate(given | values)

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
    ca_file: Path | None = None
    """What vouches for it, where it speaks TLS."""
    process: "subprocess.Popen[bytes] | StartedProgram | None" = None
    python: str = sys.executable
    command: str = "up"
    """Or `serve`."""
    anew: bool = False
    """Whether it loads its modules itself, as for its users: see `program_starter`."""

    @property
    def url(self) -> str:
        return f"{'https' if self.ca_file else 'http'}://127.0.0.1:{self.port}"

    @property
    def token(self) -> str:
        return (self.data / "token").read_text().strip()

    @property
    def log(self) -> str:
        return (self.data.parent / f"{self.data.name}.log").read_text()

    def start(self, *, wait: bool = True) -> None:
        words = [self.command, "--data", str(self.data), "--listen-port", str(self.port), *self.extra]
        environment = {**os.environ, "KITEROLL_INTERVAL": "1h", **self.environment}
        log = self.data.parent / f"{self.data.name}.log"
        if not self.anew and self.python == sys.executable:
            self.process = starter().start(words, environment, log)
        else:
            command = [self.python, "-m", "kiteroll.cli", *words]
            with log.open("ab") as file:
                self.process = subprocess.Popen(command, stdout=file, stderr=file, env=environment)
        if wait:
            self.await_answer()

    def await_answer(self, seconds: float = 60) -> None:
        wait_until(self._answers, "the service to answer", seconds=seconds)

    def _answers(self) -> bool:
        assert self.process is not None
        assert self.process.poll() is None, f"the service ended: {self.log[-2000:]}"
        try:
            with self.client() as client:
                client.send(health())
        except (ServiceUnreachable, FileNotFoundError, Invalid):
            return False
        return True

    def share_keys(self, data: Path) -> None:
        """With another machine of the same service: what they have in common beside the database."""
        data.mkdir()
        for name in (KEY_FILE, TOKEN_FILE):
            shutil.copy(self.data / name, data / name)

    @property
    def is_running(self) -> bool:
        return self.process is not None and self.process.poll() is None

    def client(self) -> Client:
        return Client(self.url, self.token, ca_file=str(self.ca_file or ""))

    def http(self, token: str = "", path: str = "", **given: Any) -> httpx.Client:
        """Plain HTTP, signed in with a token or as nobody; a busy machine has a minute to answer."""
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        settings: dict[str, Any] = {"base_url": f"{self.url}{path}", "headers": headers, "timeout": 60}
        return httpx.Client(trust_env=False, **(settings | given))

    def end(self, number: signal.Signals = signal.SIGTERM, seconds: float = 30) -> int:
        assert self.process is not None
        self.process.send_signal(number)
        return self.process.wait(seconds)


NewService = Callable[..., Service]


_LONGER = 0.15
"""By what share of a wait it may last longer than it must."""


def wait_until(
    condition: Callable[[], object],
    what: str,
    *,
    seconds: float = 60,
    seen: Callable[[], object] | None = None,
) -> None:
    """Wait for what another process does, which notifies nobody. Fails with `what`, and with what is
    `seen` then, when it does not happen. Asks less often the longer it lasts: asking takes from the machine
    what the other process needs."""
    began = time.monotonic()
    while not condition():
        waited = time.monotonic() - began
        if waited >= seconds:
            instead = f"; there is: {seen()}" if seen else ""
            raise AssertionError(f"waited {seconds} s for: {what}{instead}")
        time.sleep(min(max(0.05, waited * _LONGER), 0.5))


def read_again(client: Client, name: str) -> ReadingSummary:
    return client.send(read_now(name))


def add_lab_switches(service: Service, lab: Lab) -> None:
    """Add every switch of the lab and wait until each was read."""
    with service.client() as client:
        for name in lab.switches:
            client.send(add_switch(lab.new_switch(name)))
        wait_until(
            lambda: all(one.read_at is not None for one in client.each(switches())), "every switch to be read"
        )
        # Where ports lead is worked out every few seconds, and every switch of the lab has an uplink.
        wait_until(
            lambda: all(any(port.leads_to for port in client.all(ports(name))) for name in lab.switches),
            "every switch to have an uplink",
        )
