"""Runs the service in the foreground until it is told to stop."""

import fcntl
import gc
import os
import signal
import socket
import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from types import FrameType

import uvicorn

from kiteroll.api.app import serve
from kiteroll.api.auth import TokenAuth
from kiteroll.api.request_gate import RequestGate
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.api.timed_http import TimedHttp
from kiteroll.app.config import Config
from kiteroll.app.runtime import add_workers, build
from kiteroll.clock import SystemClock
from kiteroll.core.errors import ConfigError, Conflict
from kiteroll.schemas.reading_files import read_readings

_THREAD_SLICE_S = 0.001
"""How long a thread may keep the others waiting: tables are worked on in some, calls answered in others."""
_GC_THRESHOLDS = (10_000, 20, 50)
"""A full collection halts every answer for a tenth of a second at half a million addresses; with
Python's own thresholds that came more than once a second under load."""
_CONNECTIONS = 1000
"""At once; further ones are told to come back."""
_GRACE_S = 3
"""Open calls get this long to end once the service is told to stop."""


class _Server(uvicorn.Server):
    """Ends live streams as soon as it is told to stop: they would otherwise be waited for."""

    def __init__(
        self, config: uvicorn.Config, broadcaster: EventBroadcaster, ready: Callable[[], None]
    ) -> None:
        super().__init__(config)
        self._broadcaster = broadcaster
        self._ready = ready

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            self._ready()

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        # Not passed on: uvicorn would raise the signal again once all is closed, and a stop that
        # was asked for would look like a death. A second Ctrl-C does not wait for open calls.
        self._broadcaster.close()
        self.force_exit = self.should_exit and sig == signal.SIGINT
        self.should_exit = True


def run(config: Config, ready: Callable[[], None] = lambda: None) -> int:
    """Returns 0 after a stop that was asked for, 1 when the service could not go on.

    `ready` is called once calls are answered. Raises ConfigError, Conflict (port or data directory
    in use) or StorageUnavailable when it cannot start; then nothing is left running.
    """
    sys.setswitchinterval(_THREAD_SLICE_S)
    gc.set_threshold(*_GC_THRESHOLDS)
    clock = SystemClock()
    broadcaster = EventBroadcaster()
    server: _Server | None = None
    had_to_stop = False

    def on_must_stop() -> None:
        nonlocal had_to_stop
        had_to_stop = True
        if server is not None:
            broadcaster.close()
            server.should_exit = True

    with ExitStack() as stack:
        listener = stack.enter_context(_listening(config.listen.host, config.listen.port))
        stack.enter_context(_locked(config.data_dir))
        auth = TokenAuth(config.data_dir, clock)
        parts = build(config, clock, stack, on_must_stop)
        if parts.ingestor.latest_at is not None:
            clock.never_before(parts.ingestor.latest_at)
        add_workers(parts, config, clock, stack, read_readings)
        # What was loaded stays: no collection needs to go through it.
        gc.collect()
        gc.freeze()
        options = uvicorn.Config(
            RequestGate(serve(parts, auth, broadcaster, clock), auth, config.listen.names),
            log_config=None,
            access_log=False,
            lifespan="on",
            loop="uvloop",
            http=TimedHttp,
            limit_concurrency=_CONNECTIONS,
            timeout_graceful_shutdown=_GRACE_S,
            server_header=False,
        )
        server = _Server(options, broadcaster, ready)
        server.run(sockets=[listener])
        return 1 if had_to_stop or not server.started else 0


@contextmanager
def _listening(host: str, port: int) -> Iterator[socket.socket]:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family, socket.SOCK_STREAM) as listener:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
            listener.listen(128)
        except OSError as taken:
            raise Conflict(
                f"cannot listen on {host} port {port}: {taken.strerror}. Another program, or another Kite "
                "Roll, may use it: choose another with --listen-port, or listen.port in the configuration"
            ) from taken
        yield listener


@contextmanager
def _locked(data_dir: Path) -> Iterator[None]:
    """Hold the data directory for ourselves; the system releases it when we end, however we end."""
    try:
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
        file = (data_dir / "lock").open("a+")
    except OSError as wrong:
        raise ConfigError(
            str(data_dir), (f"the data directory cannot be written: {wrong.strerror} @ data_dir",)
        ) from wrong
    with file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as held:
            file.seek(0)
            holder = file.read().strip() or "unknown"
            raise Conflict(
                f"the data directory {data_dir} is in use by another Kite Roll (process {holder})"
            ) from held
        file.truncate(0)
        file.write(f"{os.getpid()}\n")
        file.flush()
        yield
