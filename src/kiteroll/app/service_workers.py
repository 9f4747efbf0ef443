"""What runs in the service beside requests: its workers, by name."""

import socket
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from datetime import timedelta
from functools import partial

from kiteroll.app.access.access_book import RELOAD_S
from kiteroll.app.alerts.router import STEP_S as ALERT_STEP_S
from kiteroll.app.change_counts import ChangeCounts
from kiteroll.app.config import Config
from kiteroll.app.parts.whole import Parts
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
_COUNTS_S = 10.0


def add_workers(parts: Parts, config: Config, clock: Clock, stack: ExitStack, parse: ParseDocuments) -> None:
    """Register what runs beside the polling. Raises Conflict or ConfigError for notifications that
    cannot be received, Invalid for name servers that are none. `parse` reads reading documents."""
    add, storage = parts.supervisor.add, parts.storage
    _add_common_workers(parts, clock)
    add("poller", parts.reading.poller.run)
    add("findings", parts.findings.worker.run)
    add("followup-probe", parts.reading.followup.run)
    alerts = parts.findings.alert_router.step
    add("alert-router", partial(periodic.every, ALERT_STEP_S, clock, alerts, "alerts"))
    add("alert-sender", parts.findings.alert_sender.run)
    closed = parts.acting.closed_ports.step
    add("closed-ports", partial(periodic.every_async, CLOSED_STEP_S, clock, closed, "closed ports"))
    breaches = parts.rules.breach_actions.step
    add("breach-actions", partial(periodic.every_async, BREACH_STEP_S, clock, breaches, "breaches"))
    add(
        "retention",
        partial(
            periodic.retention,
            storage.background,
            parts.tracking.turns,
            parts.tracking.ingestor,
            clock,
            lambda: parts.settings.retention,
        ),
    )
    counts = ChangeCounts(storage.background, parts.bus, parts.tracking.topology.is_uplink)
    add("change-counts", partial(periodic.every, _COUNTS_S, clock, counts.record, "change counts"))
    if config.bus.url:
        add("collectors", parts.reading.collector_bus.run)
    if config.bus.url and storage.lease is not None:
        add("areas", parts.reading.areas.run)
        add("tracker-events", parts.reading.tracker_events.run)
    if config.notifications.enabled:
        engine = local_engine(config.data_dir / "engine.json")
        add("notifications", _notification_reader(parts, config, clock, engine, stack).run)
    if config.dns.enabled:
        add("reverse-dns", ReverseDnsWorker(storage.background, clock, config.dns).run)
    if config.imports.folder is not None:
        importer = parts.reading.importer
        add("import-folder", ImportFolderWatcher(importer, config.imports.folder, clock, parse).run)
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
        parts.tracking.fleet,
        parts.tracking.names,
        parts.tracking.label_index,
        parts.findings.worker,
        parts.access.book,
        parts.settings,
        parts.tracking.makers,
    )
    follower = TrackerFollower(link, records, relay, parts.following, clock)
    _add_common_workers(parts, clock)
    parts.supervisor.add("follower", follower.run)


def _add_common_workers(parts: Parts, clock: Clock) -> None:
    add = parts.supervisor.add
    add("clock", partial(periodic.watch_clock, clock))
    add("database-watch", parts.findings.database_watch.run)
    refresh = parts.tracking.topology.refresh_if_stale
    add("topology", partial(periodic.every, FACTS_MAX_AGE.total_seconds(), clock, refresh, "topology"))
    add("name-index", partial(periodic.every, _NAMES_S, clock, parts.tracking.names.refresh, "names"))
    add("label-index", partial(periodic.every, _NAMES_S, clock, parts.tracking.label_index.refresh, "labels"))
    add("access", partial(periodic.every, RELOAD_S, clock, parts.access.book.refresh, "access"))


def _notification_reader(
    parts: Parts, config: Config, clock: Clock, engine: LocalEngine, stack: ExitStack
) -> NotificationReader:
    sock: socket.socket = stack.enter_context(bind(config.notifications))
    debounce = timedelta(seconds=config.notifications.debounce_s)
    return NotificationReader(
        sock,
        engine,
        parts.reading.reads,
        parts.reading.assignments.poll_targets,
        clock,
        debounce,
        config.notifications.communities,
    )
