"""Message engines and collectors as processes of their own, as their users start them."""

import asyncio
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import nats

from kiteroll.bus import names, server_config
from kiteroll.bus.messages import Read, Sent, decode
from tests.support.harness import wait_until
from tests.support.ports import free_tcp_port

CENTRE, SITE, COLLECTOR = "centre-over-the-tarn", "site-over-the-tarn", "collector-over-the-tarn"
CLUSTER = "cluster-over-the-tarn"
_OTHER_CLOCK = Path(__file__).with_name("other_clock")


@dataclass
class NatsServer:
    """`nats-server` with a configuration that `kiteroll collector nats-config` writes."""

    directory: Path
    name: str
    port: int = field(default_factory=free_tcp_port)
    leaf_port: int = field(default_factory=free_tcp_port)
    cluster_port: int = field(default_factory=free_tcp_port)
    process: "subprocess.Popen[bytes] | None" = None
    _environment: dict[str, str] = field(default_factory=dict)

    @property
    def url(self) -> str:
        return f"nats://127.0.0.1:{self.port}"

    @property
    def log(self) -> str:
        return (self.directory / f"{self.name}.log").read_text()

    def be_centre(self, sites: list[str], others: "Sequence[NatsServer]" = ()) -> None:
        self._environment = {server_config.CENTRE_PASSWORD: CENTRE, server_config.CLUSTER_PASSWORD: CLUSTER}
        self._environment |= {server_config.site_password(site): SITE for site in sites}
        for number, other in enumerate(others, start=1):
            url = server_config.other_url(f"127.0.0.1:{other.cluster_port}", CLUSTER)
            self._environment[server_config.other_variable(number)] = url
        cluster = server_config.Member(self.name, len(others), f"127.0.0.1:{self.cluster_port}")
        listen, leaf_listen = f"127.0.0.1:{self.port}", f"127.0.0.1:{self.leaf_port}"
        store = str(self.directory / self.name)
        tls = str(_make_certificate(self.directory / "tls").parent)
        member = cluster if others else None
        self._write(
            server_config.centre(
                sites, listen=listen, leaf_listen=leaf_listen, store=store, tls=tls, member=member
            )
        )

    def be_site(self, site: str, centre_port: int) -> None:
        url = server_config.site_url(site, f"127.0.0.1:{centre_port}", SITE, tls=True)
        self._environment = {server_config.SITE_URL: url, server_config.COLLECTOR_PASSWORD: COLLECTOR}
        store = str(self.directory / self.name)
        tls = str(self.directory / "tls")
        self._write(server_config.site(site, listen=f"127.0.0.1:{self.port}", store=store, tls=tls))

    def start(self) -> None:
        with (self.directory / f"{self.name}.log").open("ab") as log:
            command = ["nats-server", "-c", str(self.directory / f"{self.name}.conf")]
            environment = {**os.environ, **self._environment}
            self.process = subprocess.Popen(command, stdout=log, stderr=log, env=environment)
        wait_until(self._listens, f"the message engine {self.name}")

    def kill(self) -> None:
        assert self.process is not None
        self.process.kill()
        self.process.wait(10)

    def _listens(self) -> bool:
        assert self.process is not None and self.process.poll() is None, self.log[-2000:]
        try:
            socket.create_connection(("127.0.0.1", self.port), 0.5).close()
        except OSError:
            return False
        return True

    def _write(self, text: str) -> None:
        (self.directory / f"{self.name}.conf").write_text(text)


def _make_certificate(directory: Path) -> Path:
    """Of a server on loopback, its own authority. Returns the file of the authority."""
    authority = directory / "ca.pem"
    if not authority.exists():
        directory.mkdir()
        files = ["-keyout", str(directory / "server.key"), "-out", str(directory / "server.pem")]
        key = ["-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2"]
        name = ["-subj", "/CN=tarn", "-addext", "subjectAltName=IP:127.0.0.1"]
        subprocess.run(["openssl", "req", "-x509", *key, *name, *files], check=True, capture_output=True)
        authority.write_bytes((directory / "server.pem").read_bytes())
    return authority


def bus_of_centre(*engines: NatsServer) -> dict[str, str]:
    """Environment of a service that speaks to them, over TLS."""
    return {
        "KITEROLL_BUS_URL": ",".join(f"tls://127.0.0.1:{engine.port}" for engine in engines),
        "KITEROLL_BUS_REPLICAS": str(len(engines)),
        "KITEROLL_BUS_USER": server_config.CENTRE_USER,
        "KITEROLL_BUS_PASSWORD": CENTRE,
        "KITEROLL_BUS_CA_FILE": str(engines[0].directory / "tls" / "ca.pem"),
    }


def kept_at(engine: NatsServer, site: str) -> list[Read]:
    """Every reading that the message engine of a site acknowledged to a collector."""
    return asyncio.run(_kept(engine.url, names.stream(names.site_token(site))))


async def _kept(url: str, stream: str) -> list[Read]:
    client = await nats.connect(url, user="collector", password=COLLECTOR)
    found: list[Read] = []
    source = await client.jetstream().subscribe(stream=stream, ordered_consumer=True, subject=">")
    left = (await client.jetstream().stream_info(stream)).state.messages
    for _ in range(left):
        sent = decode(Sent, (await source.next_msg(timeout=10)).data)
        found += [sent.read] if sent.read is not None else []
    await client.close()
    return found


@dataclass
class CollectorProcess:
    """`kiteroll collector run`."""

    data: Path
    name: str
    site: str
    bus: str
    environment: Mapping[str, str] = field(default_factory=dict)
    clock_ahead_s: float = 0.0
    """Of its machine."""
    process: "subprocess.Popen[bytes] | None" = None

    @property
    def log(self) -> str:
        return (self.data.parent / f"{self.data.name}.log").read_text()

    @property
    def key(self) -> str:
        """Its public key, made where there is none."""
        done = subprocess.run(self._command("key"), capture_output=True, text=True, check=True, timeout=60)
        return done.stdout.strip()

    def start(self) -> None:
        with (self.data.parent / f"{self.data.name}.log").open("ab") as log:
            account = {"KITEROLL_BUS_USER": "collector", "KITEROLL_BUS_PASSWORD": COLLECTOR}
            environment = {**os.environ, "KITEROLL_BUS_URL": self.bus, **account, **self.environment}
            if self.clock_ahead_s:
                places = (str(_OTHER_CLOCK), environment.get("PYTHONPATH", ""))
                environment["PYTHONPATH"] = os.pathsep.join(filter(None, places))
                environment["KITEROLL_TEST_CLOCK_AHEAD"] = str(self.clock_ahead_s)
            self.process = subprocess.Popen(self._command("run"), stdout=log, stderr=log, env=environment)

    def end(self, number: signal.Signals = signal.SIGTERM) -> int:
        assert self.process is not None
        self.process.send_signal(number)
        return self.process.wait(20)

    def _command(self, verb: str) -> list[str]:
        given = ["--data", str(self.data), "--name", self.name, "--site", self.site]
        return [sys.executable, "-m", "kiteroll.cli", "collector", verb, *given]


@dataclass
class TrackerProcess:
    """`kiteroll tracker`."""

    directory: Path
    name: str
    area: str
    environment: Mapping[str, str]
    """Where database and message engine are, as the service has it."""
    process: "subprocess.Popen[bytes] | None" = None
    _log_begins: int = 0

    @property
    def log(self) -> str:
        return (self.directory / f"{self.name}.log").read_text()

    def start(self) -> None:
        command = [sys.executable, "-m", "kiteroll.cli", "tracker", "--area", self.area]
        with (self.directory / f"{self.name}.log").open("ab") as log:
            self._log_begins = log.tell()
            environment = {**os.environ, **self.environment}
            self.process = subprocess.Popen(command, stdout=log, stderr=log, env=environment)

    def end(self, number: signal.Signals = signal.SIGTERM) -> int:
        assert self.process is not None
        self.process.send_signal(number)
        return self.process.wait(20)

    @property
    def is_running(self) -> bool:
        return self.process is not None and self.process.poll() is None

    @property
    def stands_by(self) -> bool:
        """Whether it has begun to watch whether another one has its area, and has not taken it over."""
        return self.is_running and self._last("tracker.standby") > self._last("tracker.tracks")

    @property
    def tracks(self) -> bool:
        return self.is_running and self._last("tracker.tracks") > self._last("tracker.standby")

    def _last(self, event: str) -> int:
        """Where in the log of this run it stands last; -1 where it does not."""
        return self.log[self._log_begins :].rfind(f'"{event}"')

    @property
    def times_begun(self) -> int:
        """How often it began to track, in all its runs."""
        return self.log.count('"tracker.tracks"')

    @property
    def pid(self) -> int:
        assert self.process is not None
        return self.process.pid


class Line:
    """A TCP connection between a site and a server of the centre that is there; it can be cut."""

    def __init__(self, *to_ports: int) -> None:
        self.port = free_tcp_port()
        self._to = to_ports
        self._up = threading.Event()
        self._up.set()
        self._listener = socket.create_server(("127.0.0.1", self.port))
        self._wires: list[socket.socket] = []
        threading.Thread(target=self._accept, daemon=True).start()

    def cut(self) -> None:
        self._up.clear()
        for wire in self._wires:
            try:
                wire.shutdown(socket.SHUT_RDWR)
            except OSError:
                continue
        self._wires.clear()

    def mend(self) -> None:
        self._up.set()

    def close(self) -> None:
        self.cut()
        self._listener.close()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self._listener.accept()
            except OSError:
                return
            if not self._up.is_set():
                near.close()
                continue
            if (far := self._reach()) is None:
                near.close()
                continue
            self._wires += [near, far]
            for source, sink in ((near, far), (far, near)):
                threading.Thread(target=_carry, args=(source, sink), daemon=True).start()

    def _reach(self) -> socket.socket | None:
        for port in self._to:
            try:
                return socket.create_connection(("127.0.0.1", port), 5)
            except OSError:
                continue
        return None


def _carry(source: socket.socket, sink: socket.socket) -> None:
    try:
        while data := source.recv(65536):
            sink.sendall(data)
    except OSError:
        pass
    finally:
        for wire in (source, sink):
            wire.close()
