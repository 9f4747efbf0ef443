"""The composition root: builds the parts of the service once, runs its workers, tears all of it down.

`build` opens storage and makes everything that needs no event loop; what it opened is closed in reverse
order when the stack it was given unwinds, also when it fails half-way. `running` starts the workers and
stops them again. Whoever serves requests takes single parts from `Parts`; no part holds the whole.
"""

import asyncio
import logging
import random
import socket
from collections.abc import AsyncIterator, Callable, Sequence
from contextlib import AsyncExitStack, ExitStack, asynccontextmanager, suppress
from dataclasses import dataclass
from datetime import timedelta
from functools import partial

from kiteroll.app import config as settings
from kiteroll.app.access.access_book import RELOAD_S, AccessBook
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.access.audit_log import AuditLog
from kiteroll.app.access.first_start import ensure_way_in
from kiteroll.app.access.openid_provider import OpenIdProvider
from kiteroll.app.access.openid_sign_in import CALLBACK as OPENID_CALLBACK
from kiteroll.app.access.openid_sign_in import OpenIdSignIn
from kiteroll.app.access.passwords import Passwords
from kiteroll.app.access.sign_in import SignIn
from kiteroll.app.access.tokens import Tokens
from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.alerts.router import STEP_S as ALERT_STEP_S
from kiteroll.app.alerts.router import AlertRouter
from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.collector_targets import CollectorTargets
from kiteroll.app.collectors import Collectors
from kiteroll.app.csv_mappings import CsvMappings
from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.device_links import DeviceLinks
from kiteroll.app.enrolment import Enrolment
from kiteroll.app.events import EventBus, ReadingStored
from kiteroll.app.finding_facts import StoredFacts
from kiteroll.app.imports import Importer
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.inventory import Inventory
from kiteroll.app.kept_answers import KeptAnswers
from kiteroll.app.key_rotation import KeyRotation
from kiteroll.app.labels import Labels
from kiteroll.app.logs import fields
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.on_demand_rounds import OnDemandRounds
from kiteroll.app.port_actions.actor import PortActor
from kiteroll.app.port_actions.ageing import AgeingAdvisor
from kiteroll.app.port_actions.breach_actions import STEP_S as BREACH_STEP_S
from kiteroll.app.port_actions.breach_actions import BreachActions
from kiteroll.app.port_actions.closed_ports import STEP_S as CLOSED_STEP_S
from kiteroll.app.port_actions.closed_ports import ClosedPorts
from kiteroll.app.port_actions.planner import ActionPlanner
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_actions.sweeps import Sweeps
from kiteroll.app.port_actions.vital_addresses import VitalAddresses
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.actions import ActionQueries
from kiteroll.app.queries.differences import Differences
from kiteroll.app.queries.endpoint_list import EndpointList
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.history import HistoryQueries
from kiteroll.app.queries.network_map import NetworkMap
from kiteroll.app.queries.port_use import PortUseQueries
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.app.queries.search import Search
from kiteroll.app.queries.service_status import StatusQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.queries.trends import Trends
from kiteroll.app.queries.vlans import VlanQueries
from kiteroll.app.rehearsals import Rehearsals
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.saved_queries import SavedQueries
from kiteroll.app.service_watch import ServiceWatch
from kiteroll.app.serving.followed_records import FollowedRecords
from kiteroll.app.serving.following import Following
from kiteroll.app.serving.sent_event import SentEvent
from kiteroll.app.serving.tracker_follower import TrackerFollower
from kiteroll.app.serving.tracker_link import TrackerLink
from kiteroll.app.shared_addresses import SharedAddresses
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.storage import Storage, open_followed, open_storage
from kiteroll.app.supervisor import Supervisor
from kiteroll.app.switch_reads import SwitchReads
from kiteroll.app.topology_view import TopologyView
from kiteroll.app.traces import Traces, make_traces
from kiteroll.app.trackers.areas import AreaTrackers
from kiteroll.app.trackers.tracker_events import TrackerEvents
from kiteroll.app.workers import periodic
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.app.workers.followup_probe import FollowupProbe
from kiteroll.app.workers.import_folder import ImportFolderWatcher, ParseDocuments
from kiteroll.app.workers.notification_reader import NotificationReader, bind, local_engine
from kiteroll.app.workers.reverse_dns import ReverseDnsWorker
from kiteroll.clock import Clock
from kiteroll.collect.notification_listener import LocalEngine
from kiteroll.collect.poller import Poller
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.port_actions.sweep import parse_network
from kiteroll.core.topology.refresh import FACTS_MAX_AGE
from kiteroll.store.database_lease import DatabaseLease
from kiteroll.store.tracking_rules import save_tracking_rules

log = logging.getLogger(__name__)
_NAMES_S = 3.0
_FINISH_S = 3.0
"""How long what is being written may take to be written, once the service is to stop."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """What was built. For wiring only: hand out single parts, never this."""

    storage: Storage
    bus: EventBus
    access: AccessBook
    sign_in: SignIn
    accounts: Accounts
    tokens: Tokens
    openid: OpenIdSignIn
    audit: AuditLog
    alert_router: AlertRouter
    alert_sender: AlertSender
    alert_targets: AlertTargets
    alert_routes: AlertRoutes
    key_rotation: KeyRotation
    runtime_settings: RuntimeSettings
    ingestor: ReadingIngestor
    topology: TopologyView
    names: NameIndexes
    findings: FindingWorker
    followup: FollowupProbe
    makers: MakerDirectory
    poller: Poller[Outcome | None]
    reads: SwitchReads
    rounds: OnDemandRounds
    inventory: Inventory
    collectors: Collectors
    collector_bus: CollectorBus
    areas: AreaTrackers
    tracker_events: TrackerEvents
    port_rules: PortRules
    roll_calls: RollCalls
    enrolment: Enrolment
    rehearsals: Rehearsals
    actions: ActionQueries
    actor: PortActor
    closed_ports: ClosedPorts
    breach_actions: BreachActions
    proposals: Proposals
    sweeps: Sweeps
    ageing: AgeingAdvisor
    importer: Importer
    labels: Labels
    device_links: DeviceLinks
    saved_queries: SavedQueries
    kept_answers: KeptAnswers
    mappings: CsvMappings
    shared_addresses: SharedAddresses
    endpoint_queries: EndpointQueries
    endpoint_list: EndpointList
    switch_queries: SwitchQueries
    port_queries: PortQueries
    port_use: PortUseQueries
    finding_queries: FindingQueries
    search: Search
    differences: Differences
    network_map: NetworkMap
    history: HistoryQueries
    trends: Trends
    vlans: VlanQueries
    status: StatusQueries
    database_watch: DatabaseWatch
    following: Following | None
    """In a service that only answers: how it stands to the one that tracks."""
    supervisor: Supervisor
    traces: Traces


def build(
    config: settings.Config,
    clock: Clock,
    stack: ExitStack,
    on_must_stop: Callable[[], None],
    *,
    only_answers: bool = False,
) -> Parts:
    """Everything the service is made of; blocking, nothing runs yet. `only_answers`: another service has the
    database; this one follows its records, and writes nothing but when a token was used last. Raises
    ConfigError, StorageUnavailable or Conflict; what was opened is closed by `stack`."""
    storage = (open_followed if only_answers else open_storage)(config, stack)
    following = Following() if only_answers else None
    database, background, bus = storage.database, storage.background, EventBus()
    passwords = Passwords()
    if not only_answers:
        ensure_way_in(background, clock, config.data_dir, passwords)
    access = AccessBook(background, clock)
    access.reload()
    runtime_settings = RuntimeSettings(background, clock, config)
    runtime_settings.load()
    lease = storage.lease
    fence = None if lease is None else lease.fence
    rules = config.tracking.rules()
    if not only_answers:
        background.run(save_tracking_rules, rules)
    ingestor = ReadingIngestor(background, rules, bus, fence)
    stack.callback(ingestor.stop)
    ingestor.load()
    topology = TopologyView(background, clock, ingestor, records=not only_answers)
    names = NameIndexes(background)
    names.load()
    bus.subscribe(ReadingStored, names.on_reading)
    makers = MakerDirectory(database, lambda: ingestor.index)
    makers.reload()
    limits = config.reading.limits()
    traces = make_traces(config.traces.endpoint, config.traces.headers, config.traces.share)
    stack.callback(traces.close)
    store = traces.reading(ingestor.ingest)
    poller: Poller[Outcome | None] = Poller(
        clock, limits, store, concurrency=config.reading.concurrency, jitter=random.random
    )
    intake = SiteIntake(background, clock)
    collectors = Collectors(
        background,
        clock,
        CollectorTargets(background, storage.vault).of_site,
        intake,
        has_bus=bool(config.bus.url),
    )
    if config.bus.url:
        collectors.load()
    areas = AreaTrackers(
        background, ingestor, collectors.reads, intake, clock, bus, lambda: collector_bus.sites_changed()
    )
    if not only_answers and ingestor.elsewhere and not (config.bus.url and lease):
        ingestor.reclaim(ingestor.elsewhere)  # no tracker can be heard
    areas.load()
    inventory = Inventory(
        database,
        storage.vault,
        clock,
        ingestor,
        poller,
        limits,
        lambda: runtime_settings.interval_s,
        bus,
        collectors.reads,
        collectors.changed,
    )
    collector_bus = CollectorBus(
        config.bus, collectors, intake, ingestor, store, inventory.site_elsewhere, areas.sites, clock
    )
    tracker_events = TrackerEvents(
        config.bus, lease.epoch if lease else 0, ingestor, intake, bus, collector_bus, clock
    )
    followup = FollowupProbe(background, poller, ingestor, clock)
    alert_sender = AlertSender(background, clock, storage.vault)
    database_watch = DatabaseWatch(storage.watch, clock)
    supervisor = Supervisor(clock, on_must_stop)
    reads = SwitchReads(database, poller, clock, inventory.site_elsewhere, collector_bus.read_now)
    endpoint_queries = EndpointQueries(database, topology, makers, clock, lambda: findings.contested())
    planner = ActionPlanner(
        background,
        storage.vault,
        ingestor,
        topology,
        endpoint_queries,
        VitalAddresses(background, background.hosts if config.database.url else ()),
        lambda: config.acting.limits,
        limits,
        clock,
    )
    actor = PortActor(background, planner, reads.read_next, lambda: config.acting.reopens, clock)
    closed_ports = ClosedPorts(background, actor, clock)
    watch = ServiceWatch(
        supervisor,
        alert_sender,
        database_watch,
        config.data_dir,
        config.certificate_file,
        closed_ports.as_of_last_step,
        collectors.conditions,
        areas.troubles,
        clock,
    )
    facts = StoredFacts(background, ingestor, topology, watch.condition)
    findings = FindingWorker(background, facts, runtime_settings.thresholds, clock, bus, followup.request)
    runtime_settings.on_change(lambda: findings.change_thresholds(runtime_settings.thresholds))
    alert_router = AlertRouter(background, clock, bus, findings.live, config.listen.public_url)
    alert_router.on_message(alert_sender.wake)
    switch_queries = SwitchQueries(database, ingestor, clock, lambda: runtime_settings.thresholds.table_share)
    port_queries = PortQueries(database, topology, clock)
    search = Search(database, ingestor, names, makers, endpoint_queries, switch_queries, port_queries, clock)
    port_rules = PortRules(database, clock, bus)
    roll_calls = RollCalls(database, topology, ingestor, makers, search, findings.claimed_uplinks, clock)
    rehearsals = Rehearsals(background, lambda: runtime_settings.thresholds, clock)
    stack.callback(rehearsals.stop)
    sweeps = Sweeps(
        background,
        ingestor,
        reads.read_next,
        [parse_network(one) for one in config.acting.ask_networks],
        config.acting.ask_rate,
        clock,
    )
    mappings = CsvMappings(database)
    return Parts(
        storage=storage,
        bus=bus,
        access=access,
        sign_in=SignIn(database, clock, passwords, access),
        accounts=Accounts(database, clock, passwords, access),
        tokens=Tokens(database, clock, access),
        openid=_openid(config, storage, access, clock),
        audit=AuditLog(database, clock, bus),
        alert_router=alert_router,
        alert_sender=alert_sender,
        alert_targets=AlertTargets(database, clock, storage.vault, alert_router, alert_sender),
        alert_routes=AlertRoutes(database, clock, alert_router),
        key_rotation=KeyRotation(database, storage.vault),
        runtime_settings=runtime_settings,
        ingestor=ingestor,
        topology=topology,
        names=names,
        findings=findings,
        followup=followup,
        makers=makers,
        poller=poller,
        reads=reads,
        rounds=OnDemandRounds(database, clock, reads.read_next),
        inventory=inventory,
        collectors=collectors,
        collector_bus=collector_bus,
        areas=areas,
        tracker_events=tracker_events,
        port_rules=port_rules,
        roll_calls=roll_calls,
        enrolment=Enrolment(database, port_rules, roll_calls, endpoint_queries, clock),
        rehearsals=rehearsals,
        actions=ActionQueries(database),
        actor=actor,
        closed_ports=closed_ports,
        breach_actions=BreachActions(
            background, actor, findings.live, port_rules.book, lambda: config.acting.limits, bus, clock
        ),
        proposals=Proposals(database, actor, clock),
        sweeps=sweeps,
        ageing=AgeingAdvisor(database, switch_queries, topology, clock),
        importer=Importer(database, ingestor, mappings, clock),
        labels=Labels(database),
        device_links=DeviceLinks(database),
        saved_queries=SavedQueries(database, clock),
        kept_answers=KeptAnswers(database, storage.vault, clock),
        mappings=mappings,
        shared_addresses=SharedAddresses(database, bus),
        endpoint_queries=endpoint_queries,
        endpoint_list=EndpointList(database, endpoint_queries, makers),
        switch_queries=switch_queries,
        port_queries=port_queries,
        port_use=PortUseQueries(database, port_queries, clock),
        finding_queries=FindingQueries(database, clock),
        search=search,
        differences=Differences(database, topology, clock),
        network_map=NetworkMap(database, switch_queries, topology, findings.live, clock),
        history=HistoryQueries(database, topology),
        trends=Trends(database, clock),
        vlans=VlanQueries(database),
        status=StatusQueries(database_watch, ingestor, supervisor, following, clock),
        database_watch=database_watch,
        following=following,
        supervisor=supervisor,
        traces=traces,
    )


def _openid(config: settings.Config, storage: Storage, access: AccessBook, clock: Clock) -> OpenIdSignIn:
    provider = None
    if config.openid.issuer:
        back = f"{config.listen.public_url.rstrip('/')}{OPENID_CALLBACK}"
        provider = OpenIdProvider(config.openid, back, clock)
    return OpenIdSignIn(config.openid, provider, storage.database, access, storage.vault, clock)


def add_workers(
    parts: Parts, config: settings.Config, clock: Clock, stack: ExitStack, parse: ParseDocuments
) -> None:
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
        parts.ingestor, parts.names, parts.findings, parts.access, parts.runtime_settings, parts.makers
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
    add("access", partial(periodic.every, RELOAD_S, clock, parts.access.refresh, "access"))


def _notification_reader(
    parts: Parts, config: settings.Config, clock: Clock, engine: LocalEngine, stack: ExitStack
) -> NotificationReader:
    sock: socket.socket = stack.enter_context(bind(config.notifications))
    debounce = timedelta(seconds=config.notifications.debounce_s)
    return NotificationReader(
        sock,
        engine,
        parts.reads,
        parts.inventory.poll_targets,
        clock,
        debounce,
        config.notifications.communities,
    )


@asynccontextmanager
async def running(parts: Parts) -> AsyncIterator[None]:
    """The workers run; on leaving no new readings are begun, and what is being written is finished."""
    async with AsyncExitStack() as stack:
        stack.push_async_callback(_finish_writing, parts)
        stack.push_async_callback(parts.supervisor.stop)
        stack.push_async_callback(parts.rounds.stop)
        stack.push_async_callback(parts.sweeps.stop)
        if parts.following is None:
            await parts.inventory.start()
        parts.supervisor.start()
        log.info("service started", extra=fields("service.started"))
        yield
    log.info("service stopped", extra=fields("service.stopped"))


async def _finish_writing(parts: Parts) -> None:
    """Let the reading in hand be written; but where the database does not answer, the service ends without:
    what waits was never acknowledged."""
    writing = asyncio.ensure_future(asyncio.to_thread(_end_writing, parts.ingestor, parts.storage.lease))
    await asyncio.wait({writing}, timeout=_FINISH_S)
    for pool in (parts.storage.database, parts.storage.background, parts.storage.watch):
        pool.abort()
    await writing


def _end_writing(ingestor: ReadingIngestor, lease: DatabaseLease | None) -> None:
    """Then another service may have the database at once."""
    ingestor.stop()
    if lease is not None:
        with suppress(StorageUnavailable):  # then it runs out
            lease.release()
