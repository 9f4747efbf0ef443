"""Running the service in the foreground until it is told to stop."""

import fcntl
import gc
import os
import signal
import socket
import sys
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TextIO

import uvicorn

from kiteroll.clock import SystemClock
from kiteroll.core.errors import ConfigError, Conflict
from kiteroll.service.app import make_app
from kiteroll.service.config import Config
from kiteroll.service.life import Service

_TURN_S = 0.001
"""How long a thread may keep the others waiting: tables are worked on in some, calls answered in others."""
_GARBAGE = (10_000, 20, 50)
"""When garbage is collected. It halts every answer for a tenth of a second at half a million addresses,
which came more than once a second under load as Python sets it."""
_GRACE_S = 3
"""Open calls get this long to end once the service is told to stop."""


class _Server(uvicorn.Server):
    """Ends live streams as soon as it is told to stop: they would otherwise be waited for."""

    def __init__(self, config: uvicorn.Config, service: Service, ready: Callable[[], None]) -> None:
        super().__init__(config)
        self._service = service
        self._ready = ready

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            self._ready()

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        # Not passed on: uvicorn would raise the signal again once all is closed, and a stop that
        # was asked for would look like a death. A second Ctrl-C does not wait for open calls.
        self._service.hub.close()
        self.force_exit = self.should_exit and sig == signal.SIGINT
        self.should_exit = True


def run(config: Config, ready: Callable[[], None] = lambda: None) -> int:
    """Returns 0 after a stop that was asked for, 1 when a part of the service broke.

    `ready` is called once calls are answered. Raises ConfigError, Conflict (port or data directory
    in use) or StorageUnavailable when it cannot start; then nothing is left running.
    """
    sys.setswitchinterval(_TURN_S)
    gc.set_threshold(*_GARBAGE)
    listener = _listen(config.listen.host, config.listen.port)
    lock = _lock(config.data_dir)
    try:
        service = Service(config, SystemClock())
        service.prepare()
        # What was loaded stays: no collection needs to go through it.
        gc.collect()
        gc.freeze()
        server = _Server(
            uvicorn.Config(
                make_app(service),
                log_config=None,
                access_log=False,
                lifespan="on",
                loop="uvloop",
                http="httptools",
                timeout_graceful_shutdown=_GRACE_S,
                server_header=False,
            ),
            service,
            ready,
        )
        broken = False

        def on_broken() -> None:
            nonlocal broken
            broken = True
            server.should_exit = True

        service.on_broken = on_broken  # type: ignore[method-assign]
        server.run(sockets=[listener])
        return 1 if broken or not server.started else 0
    finally:
        listener.close()
        lock.close()


def _listen(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listener = socket.socket(family, socket.SOCK_STREAM)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
        listener.listen(128)
    except OSError as taken:
        listener.close()
        raise Conflict(
            f"cannot listen on {host} port {port}: {taken.strerror}. Another program, or another Kite Roll, "
            "may hold it: choose another with --listen-port, or listen.port in the settings"
        ) from taken
    return listener


def _lock(data_dir: Path) -> TextIO:
    """Hold the data directory for ourselves; the system lets go when we end, however we end."""
    try:
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
        file = (data_dir / "lock").open("a+")
    except OSError as wrong:
        raise ConfigError(
            str(data_dir), (f"the data directory cannot be written: {wrong.strerror} @ data_dir",)
        ) from wrong
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as held:
        file.seek(0)
        holder = file.read().strip() or "unknown"
        file.close()
        raise Conflict(
            f"the data directory {data_dir} is in use by another Kite Roll (process {holder})"
        ) from held
    file.truncate(0)
    file.write(f"{os.getpid()}\n")
    file.flush()
    return file
