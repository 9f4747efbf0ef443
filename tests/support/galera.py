"""Three MariaDB servers in a Galera cluster on loopback, from Debian's packages."""

import os
import shutil
import subprocess
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import text

from kiteroll.core.errors import KiteRollError
from kiteroll.store.database import Database
from tests.support.ports import free_tcp_port

_PROVIDER = "/usr/lib/galera/libgalera_smm.so"
PASSWORD = "over-the-tarn"


@dataclass(frozen=True)
class Patience:
    """How long a server that is not heard is waited for before it is left out, in seconds."""

    suspected: float
    left_out: float


AS_ADVISED = Patience(2, 4)
"""In docs/standby.md, for machines that have their cores for themselves."""
FOR_BUSY_MACHINES = Patience(8, 20)
"""Where all share two cores with many others: what is not heard for seconds is most often not dead."""


@dataclass
class Node:
    directory: Path
    patience: Patience = AS_ADVISED
    port: int = field(default_factory=free_tcp_port)
    group_port: int = field(default_factory=free_tcp_port)
    state_port: int = field(default_factory=free_tcp_port)
    transfer_port: int = field(default_factory=free_tcp_port)
    process: "subprocess.Popen[bytes] | None" = None

    @property
    def data(self) -> Path:
        return self.directory / "data"

    def install(self) -> None:
        """The system tables of the first node; the others are sent everything."""
        command = ["mariadb-install-db", "--no-defaults", f"--datadir={self.data}", "--skip-test-db"]
        command += ["--auth-root-authentication-method=normal", *_as_user()]
        subprocess.run(command, check=True, capture_output=True, timeout=120)

    def empty(self) -> None:
        """Ready to be sent everything."""
        shutil.rmtree(self.data, ignore_errors=True)
        self.data.mkdir()

    def start(self, others: "list[Node]") -> None:
        """With no others it begins a new cluster."""
        sql, temporary = self.directory / "start.sql", self.directory / "tmp"
        temporary.mkdir(exist_ok=True)  # its own: one that starts removes temporary files of others
        sql.write_text(
            f"CREATE DATABASE IF NOT EXISTS kiteroll CHARACTER SET utf8mb4;\n"
            f"CREATE USER IF NOT EXISTS kiteroll@'127.0.0.1' IDENTIFIED BY '{PASSWORD}';\n"
            "GRANT ALL ON kiteroll.* TO kiteroll@'127.0.0.1';\n"
        )
        peers = ",".join(f"127.0.0.1:{one.group_port}" for one in others)
        provider = (
            f"gmcast.listen_addr=tcp://127.0.0.1:{self.group_port};ist.recv_addr=127.0.0.1:{self.state_port};"
            f"evs.suspect_timeout=PT{self.patience.suspected}S;"
            f"evs.inactive_timeout=PT{self.patience.left_out}S;evs.keepalive_period=PT0.5S;gcache.size=32M"
        )
        command = [
            *("mariadbd", "--no-defaults", f"--datadir={self.data}", f"--tmpdir={temporary}"),
            *(f"--port={self.port}", f"--socket={self.directory / 'socket'}"),
            *("--bind-address=127.0.0.1", "--skip-name-resolve"),
            *(f"--pid-file={self.directory / 'pid'}", f"--log-error={self.directory / 'server.log'}"),
            *("--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--innodb-flush-log-at-trx-commit=0"),
            *("--innodb-buffer-pool-size=64M", "--character-set-server=utf8mb4", "--wsrep-on=ON"),
            *(f"--wsrep-provider={_PROVIDER}", f"--wsrep-cluster-address=gcomm://{peers}"),
            *("--wsrep-cluster-name=tarn", f"--wsrep-node-address=127.0.0.1:{self.group_port}"),
            *("--wsrep-sst-method=rsync", f"--wsrep-sst-receive-address=127.0.0.1:{self.transfer_port}"),
            *(f"--wsrep-provider-options={provider}", *_as_user()),
            *([] if others else ["--wsrep-new-cluster", f"--init-file={sql}"]),
        ]
        if os.geteuid() == 0:
            for path in (self.directory, *self.directory.rglob("*")):
                shutil.chown(path, "mysql")
        with (self.directory / "output").open("ab") as output:
            self.process = subprocess.Popen(command, stdout=output, stderr=output, start_new_session=True)

    def await_ready(self, seconds: float = 120) -> None:
        database = Database(url_of([self]), pool_size=1)
        until = time.monotonic() + seconds
        try:
            while True:
                try:
                    if database.run(_is_synced):
                        return
                except KiteRollError:
                    pass
                assert self.process is not None and self.process.poll() is None, self.log[-3000:]
                assert time.monotonic() < until, self.log[-3000:]
                time.sleep(0.1)
        finally:
            database.close()

    @property
    def log(self) -> str:
        files = [one for one in (self.directory / "output", self.directory / "server.log") if one.exists()]
        return "".join(one.read_text(errors="replace") for one in files)

    def kill(self) -> None:
        assert self.process is not None
        self.process.kill()
        self.process.wait(10)


class Galera:
    def __init__(self, nodes: int = 3, patience: Patience = AS_ADVISED) -> None:
        # Not below a directory that is ours alone.
        self._directory = Path(tempfile.mkdtemp(prefix="kiteroll-galera-"))
        self._directory.chmod(0o755)
        self.nodes = [Node(self._directory / f"node-{number}", patience) for number in range(1, nodes + 1)]

    def start(self) -> None:
        first, *others = self.nodes
        for one in self.nodes:
            one.directory.mkdir()
        first.install()
        first.start([])
        first.await_ready()
        for one in others:
            self.bring_back(one)

    def bring_back(self, node: Node) -> None:
        """From nothing: a server that was killed does not know how far it was. One that finds no majority
        ends, and is started once more."""
        for last in (False, True):
            node.empty()
            node.start([one for one in self.nodes if one is not node])
            try:
                node.await_ready()
                return
            except AssertionError:
                if last:
                    raise
                if node.process is not None and node.process.poll() is None:
                    node.kill()

    @property
    def url(self) -> str:
        return url_of(self.nodes)

    def end(self) -> None:
        for one in self.nodes:
            if one.process is not None and one.process.poll() is None:
                one.kill()
        shutil.rmtree(self._directory, ignore_errors=True)


def url_of(nodes: list[Node]) -> str:
    hosts = ",".join(f"127.0.0.1:{one.port}" for one in nodes)
    return f"mysql://kiteroll:{PASSWORD}@{hosts}/kiteroll"


def _is_synced(connection: object) -> bool:
    row = connection.execute(text("SHOW STATUS LIKE 'wsrep_local_state_comment'")).one()  # type: ignore[attr-defined]
    return bool(row[1] == "Synced")


def _as_user() -> list[str]:
    """Not as root: rsync, which sends a node's data, would be nobody then."""
    return ["--user=mysql"] if os.geteuid() == 0 else []
