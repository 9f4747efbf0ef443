"""What runs in the service beside requests: its workers, by name."""

import socket
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from datetime import timedelta
from functools import partial

from kiteroll.app.access.access_book import RELOAD_S
from kiteroll.app.alerts.router import STEP_S as ALERT_STEP_S
from kiteroll.app.config import Config
from kiteroll.app.parts import Parts
from kiteroll.app.port_actions.breach_actions import STEP_S as BREACH_STEP_S
from kiteroll.app.port_actions.closed_ports import STEP_S as CLOSED_STEP_S
from kiteroll.app.serving.followed_records import FollowedRecords
from kiteroll.app.serving.sent_event import SentEvent
from kiteroll.app.serving.tracker_follower import TrackerFollower
from kiteroll.app.serving.tracker_link import TrackerLink
from kiteroll.app.workers import periodic
from kiteroll.app.workers.import_folder import ImportFolderWatcher, ParseDocuments
from kiteroll.app.workers.notification_reader import NotificationReader, bind, local_engine
from kiteroll.app.workers.reverse_dns import ReverseDnsWorker
from kiteroll.clock import Clock
from kiteroll.collect.notification_listener import LocalEngine
from kiteroll.core.topology.refresh import FACTS_MAX_AGE

_NAMES_S = 3.0


def add_workers(parts: Parts, config: Config, clock: Clock, stack: ExitStack, parse: ParseDocuments) -> None:
    """Register what runs beside the polling. Raises Conflict or ConfigError for notifications that
    cannot be received, Invalid for name servers that are none. `parse` reads reading documents."""
    add, storage = parts.supervisor.add, parts.storage
    _add_common_workers(parts, clock)
    add("poller", parts.poller.run)
    add("findings", parts.findings.run)
    add("followup-probe", parts.followup.run)
    add("alert-router", partial(periodic.every, ALERT_STEP_S, clock, parts.alert_router.step, "alerts"))
    add("alert-sender", parts.alert_sender.run)
    closed = parts.closed_ports.step
    add("closed-ports", partial(periodic.every_async, CLOSED_STEP_S, clock, closed, "closed ports"))
    breaches = parts.breach_actions.step
    add("breach-actions", partial(periodic.every_async, BREACH_STEP_S, clock, breaches, "breaches"))
    add(
        "retention",
        partial(
            periodic.retention,
            storage.background,
            parts.turns,
            parts.ingestor,
            clock,
            lambda: parts.runtime_settings.retention,
        ),
    )
    if config.bus.url:
        add("collectors", parts.collector_bus.run)
    if config.bus.url and storage.lease is not None:
        add("areas", parts.areas.run)
        add("tracker-events", parts.tracker_events.run)
    if config.notifications.enabled:
        engine = local_engine(config.data_dir / "engine.json")
        add("notifications", _notification_reader(parts, config, clock, engine, stack).run)
    if config.dns.enabled:
        add("reverse-dns", ReverseDnsWorker(storage.background, clock, config.dns).run)
    if config.imports.folder is not None:
        add("import-folder", ImportFolderWatcher(parts.importer, config.imports.folder, clock, parse).run)
    if storage.server is not None:
        pools = (storage.database, storage.background, storage.watch)
        add("database", partial(periodic.watch_private_server, storage.server, pools, clock))
    if storage.lease is not None:
        add("database-lease", partial(periodic.hold_database_lease, storage.lease, clock))


def add_answering_workers(
    parts: Parts,
    link: TrackerLink,
    relay: Callable[[Sequence[SentEvent]], None],
    clock: Clock,
) -> None:
    """The same for a service that only answers. `relay` takes events of the one it follows."""
    assert parts.following is not None
    records = FollowedRecords(
        parts.fleet,
        parts.names,
        parts.label_index,
        parts.findings,
        parts.access,
        parts.runtime_settings,
        parts.makers,
    )
    follower = TrackerFollower(link, records, relay, parts.following, clock)
    _add_common_workers(parts, clock)
    parts.supervisor.add("follower", follower.run)


def _add_common_workers(parts: Parts, clock: Clock) -> None:
    add = parts.supervisor.add
    add("clock", partial(periodic.watch_clock, clock))
    add("database-watch", parts.database_watch.run)
    refresh = partial(
        periodic.every, FACTS_MAX_AGE.total_seconds(), clock, parts.topology.refresh_if_stale, "topology"
    )
    add("topology", refresh)
    add("name-index", partial(periodic.every, _NAMES_S, clock, parts.names.refresh, "names"))
    add("label-index", partial(periodic.every, _NAMES_S, clock, parts.label_index.refresh, "labels"))
    add("access", partial(periodic.every, RELOAD_S, clock, parts.access.refresh, "access"))


def _notification_reader(
    parts: Parts, config: Config, clock: Clock, engine: LocalEngine, stack: ExitStack
) -> NotificationReader:
    sock: socket.socket = stack.enter_context(bind(config.notifications))
    debounce = timedelta(seconds=config.notifications.debounce_s)
    return NotificationReader(
        sock,
        engine,
        parts.reads,
        parts.assignments.poll_targets,
        clock,
        debounce,
        config.notifications.communities,
    )
