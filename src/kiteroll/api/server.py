"""Runs the service in the foreground until it is told to stop."""

import signal
import socket
import sys
from collections.abc import Callable
from contextlib import ExitStack
from functools import partial
from types import FrameType

import uvicorn

from kiteroll.api.app import serve
from kiteroll.api.call_metrics import CallMetrics
from kiteroll.api.call_traces import CallTraces
from kiteroll.api.contract.head_requests import HeadRequests
from kiteroll.api.contract.idempotency import IdempotentPosts
from kiteroll.api.forwarding import Forwarding
from kiteroll.api.listening import check_who_hears, listening, make_tls
from kiteroll.api.metrics import Metrics
from kiteroll.api.request_gate import RequestGate
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.api.timed_http import TimedHttp
from kiteroll.app.config import Config
from kiteroll.app.data_lock import held
from kiteroll.app.parts.whole import build
from kiteroll.app.service_manager import ServiceManager
from kiteroll.app.service_workers import add_answering_workers, add_workers
from kiteroll.app.serving.tracker_link import NODE_PURPOSE, TrackerLink
from kiteroll.app.workers import periodic
from kiteroll.clock import SystemClock
from kiteroll.memory import collect_seldom, freeze_what_is_loaded
from kiteroll.schemas.reading_files import read_readings

_THREAD_SLICE_S = 0.001
"""How long a thread may keep the others waiting: tables are worked on in some, calls answered in others."""
_CONNECTIONS = 1000
"""At once; further ones are told to come back."""
_CERTIFICATE_S = 2.0
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


def _listen_first(config: Config, stack: ExitStack, *, waits: bool) -> list[socket.socket]:
    """Before anything else is opened; but one that stands by listens only when it answers: whoever asks it
    before is refused at once, and asks the other one. Raises Conflict or ConfigError."""
    if not waits:
        return stack.enter_context(listening(config.listen))
    with listening(config.listen):
        return []


def run(config: Config, ready: Callable[[], None] = lambda: None, *, only_answers: bool = False) -> int:
    """Returns 0 after a stop that was asked for, 1 when the service could not go on. `only_answers`: another
    service has the database; this one follows it, and passes changes on to it.

    `ready` is called once calls are answered. Raises ConfigError, Conflict (port or data directory
    in use) or StorageUnavailable when it cannot start; then nothing is left running.
    """
    sys.setswitchinterval(_THREAD_SLICE_S)
    collect_seldom()
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

    manager = ServiceManager()

    def report_ready() -> None:
        manager.ready()
        ready()

    with ExitStack() as stack:
        stack.callback(manager.stopping)
        check_who_hears(config.listen)
        listeners = _listen_first(config, stack, waits=config.database.standby or only_answers)
        stack.enter_context(held(config.data_dir))
        tls = make_tls(config, clock.now())
        with manager.starting():
            waiting = manager.standing_by
            parts = build(config, clock, stack, on_must_stop, on_waiting=waiting, only_answers=only_answers)
        if parts.tracking.fleet.latest_at is not None:
            clock.never_before(parts.tracking.fleet.latest_at)
        listeners = listeners or stack.enter_context(listening(config.listen))
        link = None
        if only_answers:
            link = TrackerLink(parts.storage.watch, parts.storage.vault, config.node.ca_file, clock)
            add_answering_workers(parts, link, broadcaster.relay, clock)
        else:
            add_workers(parts, config, clock, stack, read_readings)
        if tls is not None:
            work = partial(periodic.every, _CERTIFICATE_S, clock, tls.reload_if_changed, "certificate")
            parts.supervisor.add("certificate", work)
        if manager.watches:
            parts.supervisor.add("watchdog", partial(manager.signs_of_life, clock))
        freeze_what_is_loaded()
        app = serve(parts, broadcaster, clock)
        gate = RequestGate(
            IdempotentPosts(app, parts.kept_answers)
            if link is None
            else Forwarding(app, link, broadcaster, clock),
            parts.access.sign_in,
            config.listen.called,
            partial(parts.storage.vault.proves, NODE_PURPOSE),
            lambda: broadcaster.last_id,
            passes_on=only_answers,
        )
        counted = CallMetrics(gate, app.state.parts[Metrics], clock)
        options = uvicorn.Config(
            CallTraces(HeadRequests(counted), parts.traces),
            log_config=None,
            access_log=False,
            lifespan="on",
            loop="uvloop",
            http=TimedHttp,
            limit_concurrency=_CONNECTIONS,
            timeout_graceful_shutdown=_GRACE_S,
            server_header=False,
        )
        options.load()
        options.ssl = None if tls is None else tls.context
        server = _Server(options, broadcaster, report_ready)
        server.run(sockets=listeners)
        return 1 if had_to_stop or not server.started else 0
