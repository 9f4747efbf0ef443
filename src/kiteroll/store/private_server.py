"""A MariaDB server of our own: Debian's package, data under one directory, loopback, generated password."""

import logging
import os
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from contextlib import suppress
from hashlib import sha256
from pathlib import Path

from sqlalchemy.engine import URL

from kiteroll.core.errors import ConfigError, StorageUnavailable
from kiteroll.private_file import write_private
from kiteroll.store.database import Database

log = logging.getLogger(__name__)

NAME = "kiteroll"
_START_S = 90
"""Crash recovery after a kill takes long on a large data directory."""
_STOP_S = 30
_MIN_BUFFER_MB, _MAX_BUFFER_MB = 128, 2048
_LONGEST_SOCKET_PATH = 100
"""sun_path holds 108 octets on Linux."""


class PrivateServer:
    """Starts, watches over and stops the server. A server left running by a killed service is taken
    over, not started twice."""

    def __init__(self, directory: Path) -> None:
        self.directory = directory.resolve()
        self._data = self.directory / "data"
        self._pid_file = self.directory / "server.pid"
        self._port_file = self.directory / "port"
        self._password_file = self.directory / "password"
        self._log_file = self.directory / "server.log"
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> URL:
        """Start the server, or take over one that runs; returns where it answers.

        Raises ConfigError (programs missing, directory not writable) or StorageUnavailable.
        """
        self._prepare()
        if self._running_pid() is not None and (port := self._known_port()) is not None:
            url = self._url(port)
            self._await(url)
            log.info("private database taken over", extra={"event": "database.adopted"})
            return url
        return self._launch()

    def running(self) -> bool:
        return self._running_pid() is not None

    def stop(self) -> None:
        """Shut down cleanly; kill only what does not end in time."""
        pid = self._running_pid()
        if pid is None:
            self._reap()
            return
        for number, patience_s in ((signal.SIGTERM, _STOP_S), (signal.SIGKILL, 5)):
            with suppress(ProcessLookupError):
                os.kill(pid, number)
            until = time.monotonic() + patience_s
            while time.monotonic() < until:
                if self._running_pid() is None:
                    self._port_file.unlink(missing_ok=True)
                    self._reap()
                    return
                time.sleep(0.05)
        log.error("private database does not end", extra={"event": "database.stuck", "pid": pid})

    def _reap(self) -> None:
        """Take note that a server we started has ended, so that nothing is left of it."""
        if self._process is not None:
            with suppress(subprocess.TimeoutExpired):
                self._process.wait(5)

    # --- preparing ------------------------------------------------------------------------

    def _prepare(self) -> None:
        try:
            self.directory.mkdir(parents=True, exist_ok=True, mode=0o700)
            if not self._password_file.exists():
                write_private(self._password_file, secrets.token_urlsafe(24))
            if not (self._data / "mysql").is_dir():
                self._install()
        except OSError as wrong:
            raise ConfigError(
                str(self.directory),
                (f"the database directory cannot be written: {wrong.strerror} @ data_dir",),
            ) from wrong

    def _tmp(self) -> Path:
        """For its temporary files: one that starts removes those of others from a directory they share.
        Raises StorageUnavailable."""
        found = self.directory.absolute() / "tmp"  # the server changes to its data directory first
        try:
            found.mkdir(exist_ok=True, mode=0o700)
        except OSError as wrong:
            raise StorageUnavailable(f"the private database: {found}: {wrong.strerror}") from wrong
        return found

    def _install(self) -> None:
        """Make the system tables beside, then move them into place: never a half-made data directory."""
        part = self.directory / "data.part"
        shutil.rmtree(part, ignore_errors=True)
        log.info("making the private database", extra={"event": "database.install"})
        done = subprocess.run(
            [
                program("mariadb-install-db"),
                "--no-defaults",
                f"--datadir={part}",
                f"--tmpdir={self._tmp()}",
                "--skip-test-db",
                "--auth-root-authentication-method=normal",
                "--force",  # the name of the machine needs not resolve: none is ever looked up
                *_as_user(),
            ],
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise StorageUnavailable(
                f"mariadb-install-db failed (exit {done.returncode}) for {part}: "
                f"{_tail(done.stderr or done.stdout, lines=12)}"
            )
        part.replace(self._data)

    def _launch(self) -> URL:
        port = _free_port()
        url = self._url(port)
        init = self.directory / "start.sql"
        mariadbd = program("mariadbd")
        self._reap()
        try:
            write_private(init, self._start_sql())
            self._port_file.write_text(str(port))
        except OSError as wrong:  # a full disk, often
            raise StorageUnavailable(
                f"the private database cannot be started: {wrong.filename}: {wrong.strerror}"
            ) from wrong
        self._process = subprocess.Popen(
            [
                mariadbd,
                "--no-defaults",
                f"--datadir={self._data}",
                f"--tmpdir={self._tmp()}",
                f"--port={port}",
                "--bind-address=127.0.0.1",
                f"--socket={self._socket()}",
                f"--pid-file={self._pid_file}",
                f"--log-error={self._log_file}",
                f"--init-file={init}",
                "--skip-name-resolve",
                "--skip-log-bin",
                "--max-connections=64",
                f"--innodb-buffer-pool-size={_buffer_mb()}M",
                "--innodb-flush-log-at-trx-commit=1",
                "--character-set-server=utf8mb4",
                *_as_user(),
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        self._await(url)
        init.unlink(missing_ok=True)
        log.info("private database started", extra={"event": "database.started", "port": port})
        return url

    def _start_sql(self) -> str:
        password = self._password_file.read_text().strip()
        user = f"'{NAME}'@'127.0.0.1'"
        lines = (
            f"CREATE DATABASE IF NOT EXISTS {NAME} CHARACTER SET utf8mb4",
            f"CREATE USER IF NOT EXISTS {user} IDENTIFIED BY '{password}'",
            f"ALTER USER {user} IDENTIFIED BY '{password}'",
            f"GRANT ALL ON `{NAME}%`.* TO {user}",
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{password}'",
            "DELETE FROM mysql.global_priv WHERE User = ''",
            "FLUSH PRIVILEGES",
        )
        return "\n".join(line + ";" for line in lines)

    # --- watching -------------------------------------------------------------------------

    def _await(self, url: URL) -> None:
        database = Database(url, pool_size=1)
        until = time.monotonic() + _START_S
        try:
            while True:
                try:
                    database.check()
                except StorageUnavailable as not_yet:
                    ended = self._process is not None and self._process.poll() is not None
                    if ended or time.monotonic() > until:
                        why = "ended while starting" if ended else f"did not answer within {_START_S} s"
                        raise StorageUnavailable(
                            f"the private database {why}; the end of {self._log_file}: {self._log_tail()}"
                        ) from not_yet
                    time.sleep(0.1)
                else:
                    return
        finally:
            database.close()

    def _running_pid(self) -> int | None:
        """Process id of the server on this data directory, if one runs."""
        if self._process is not None:
            self._process.poll()
        try:
            pid = int(self._pid_file.read_text())
            arguments = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except (OSError, ValueError):
            return self._process.pid if self._process is not None and self._process.poll() is None else None
        return pid if f"--datadir={self._data}".encode() in arguments else None

    def _known_port(self) -> int | None:
        """Where the server that runs was started to answer; None when that could not be kept."""
        try:
            return int(self._port_file.read_text())
        except (OSError, ValueError):
            return None

    def _url(self, port: int) -> URL:
        password = self._password_file.read_text().strip()
        return URL.create("mariadb", NAME, password, "127.0.0.1", port, NAME)

    def _socket(self) -> Path:
        path = self.directory / "server.sock"
        if len(str(path)) <= _LONGEST_SOCKET_PATH:
            return path
        return Path(tempfile.gettempdir()) / f"kiteroll-{sha256(str(path).encode()).hexdigest()[:16]}.sock"

    def _log_tail(self) -> str:
        try:
            return _tail(self._log_file.read_text(errors="replace"))
        except OSError:
            return "(no log)"


def _tail(text: str, lines: int = 3) -> str:
    return " | ".join(text.strip().splitlines()[-lines:])


def program(name: str) -> str:
    """Where a program of MariaDB is. Raises ConfigError."""
    found = shutil.which(name) or shutil.which(name, path="/usr/sbin:/usr/bin:/sbin:/bin")
    if found is None:
        raise ConfigError(
            name,
            ("program not found: install Debian's package mariadb-server, or name a server @ database.url",),
        )
    return found


def _as_user() -> list[str]:
    # mariadbd refuses to run as root unless told so in as many words.
    return ["--user=root"] if os.geteuid() == 0 else []


def _buffer_mb() -> int:
    """An eighth of the machine's memory: history that is asked for should come from there."""
    machine_mb = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 1_000_000
    return max(_MIN_BUFFER_MB, min(machine_mb // 8, _MAX_BUFFER_MB))


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port
