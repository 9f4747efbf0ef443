"""The parts of the service, each built once and handed exactly what it uses.

`build` opens storage and makes everything that needs no event loop; what it opened is closed in reverse
order when the stack it was given unwinds, also when it fails half-way. Whoever serves requests takes single
parts from `Parts`; no part holds the whole.
"""

import random
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass

from kiteroll.app.access.access_book import AccessBook
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
from kiteroll.app.alerts.router import AlertRouter
from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.collector_targets import CollectorTargets
from kiteroll.app.collectors import Collectors
from kiteroll.app.config import Config
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
from kiteroll.app.label_index import LabelIndex
from kiteroll.app.labels import Labels
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.named_credentials import NamedCredentials
from kiteroll.app.on_demand_rounds import OnDemandRounds
from kiteroll.app.port_actions.actor import PortActor
from kiteroll.app.port_actions.ageing import AgeingAdvisor
from kiteroll.app.port_actions.breach_actions import BreachActions
from kiteroll.app.port_actions.closed_ports import ClosedPorts
from kiteroll.app.port_actions.planner import ActionPlanner
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_actions.sweeps import Sweeps
from kiteroll.app.port_actions.vital_addresses import VitalAddresses
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.actions import ActionQueries
from kiteroll.app.queries.differences import Differences
from kiteroll.app.queries.endpoint_history import EndpointHistory
from kiteroll.app.queries.endpoint_list import EndpointList
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.history import HistoryQueries
from kiteroll.app.queries.network_map import NetworkMap
from kiteroll.app.queries.paths import Paths
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
from kiteroll.app.serving.following import Following
from kiteroll.app.shared_addresses import SharedAddresses
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.sites_and_groups import SitesAndGroups
from kiteroll.app.storage import Storage, open_followed, open_storage
from kiteroll.app.supervisor import Supervisor
from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.switch_reads import SwitchReads
from kiteroll.app.topology_view import TopologyView
from kiteroll.app.traces import Traces, make_traces
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.trackers.areas import AreaTrackers
from kiteroll.app.trackers.tracker_events import TrackerEvents
from kiteroll.app.tracking import make_tracking
from kiteroll.app.turns import Turns
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.app.workers.followup_probe import FollowupProbe
from kiteroll.clock import Clock
from kiteroll.collect.poller import Poller
from kiteroll.core.port_actions.sweep import parse_network
from kiteroll.store.tracking_rules import save_tracking_rules


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
    turns: Turns
    fleet: TrackedFleet
    ingestor: ReadingIngestor
    topology: TopologyView
    names: NameIndexes
    label_index: LabelIndex
    findings: FindingWorker
    followup: FollowupProbe
    makers: MakerDirectory
    poller: Poller[Outcome | None]
    reads: SwitchReads
    rounds: OnDemandRounds
    assignments: SwitchAssignments
    inventory: Inventory
    credentials: NamedCredentials
    sites_and_groups: SitesAndGroups
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
    endpoint_history: EndpointHistory
    endpoint_list: EndpointList
    paths: Paths
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
    config: Config,
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
    rules = config.tracking.rules()
    if not only_answers:
        background.run(save_tracking_rules, rules)
    fence = None if lease is None else lease.fence
    turns, fleet, ingestor = make_tracking(background, rules, bus, fence=fence)
    stack.callback(turns.stop)
    fleet.load()
    topology = TopologyView(background, clock, fleet, records=not only_answers)
    names = NameIndexes(background)
    names.load()
    bus.subscribe(ReadingStored, names.on_reading)
    label_index = LabelIndex(background)
    label_index.reload()
    makers = MakerDirectory(database, lambda: fleet.index)
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
        background, turns, fleet, collectors.reads, intake, clock, bus, lambda: collector_bus.sites_changed()
    )
    if not only_answers and fleet.elsewhere and not (config.bus.url and lease):
        fleet.reclaim(fleet.elsewhere)  # no tracker can be heard
    areas.load()
    assignments = SwitchAssignments(
        database, storage.vault, poller, limits, collectors.reads, collectors.changed
    )
    inventory = Inventory(
        *(database, storage.vault, clock, turns, fleet, assignments),
        lambda: runtime_settings.interval_s,
        bus,
    )
    collector_bus = CollectorBus(
        config.bus, collectors, intake, ingestor, store, assignments.site_elsewhere, areas.sites, clock
    )
    tracker_events = TrackerEvents(
        config.bus, lease.epoch if lease else 0, turns, ingestor, intake, bus, collector_bus, clock
    )
    followup = FollowupProbe(background, poller, ingestor, clock)
    alert_sender = AlertSender(background, clock, storage.vault)
    database_watch = DatabaseWatch(storage.watch, clock)
    supervisor = Supervisor(clock, on_must_stop)
    reads = SwitchReads(database, poller, clock, assignments.site_elsewhere, collector_bus.read_now)
    endpoint_queries = EndpointQueries(database, topology, makers, clock, lambda: findings.contested())
    planner = ActionPlanner(
        background,
        storage.vault,
        fleet,
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
    facts = StoredFacts(background, fleet, topology, watch.condition)
    findings = FindingWorker(
        background,
        facts,
        runtime_settings.thresholds,
        clock,
        bus,
        followup.request,
        None if only_answers else facts.rules_known_since(),
    )
    runtime_settings.on_change(lambda: findings.change_thresholds(runtime_settings.thresholds))
    alert_router = AlertRouter(background, clock, bus, findings.live, config.listen.public_url)
    alert_router.on_message(alert_sender.wake)
    fleet.on_rename(topology.switch_renamed)
    if only_answers:
        fleet.on_rename(lambda *_: findings.reload())
    else:
        fleet.on_rename(findings.switch_renamed)
        fleet.on_rename(alert_router.switch_renamed)
    switch_queries = SwitchQueries(database, fleet, clock, lambda: runtime_settings.thresholds.table_share)
    port_queries = PortQueries(database, topology, fleet, clock)
    search = Search(
        database, fleet, names, label_index, makers, endpoint_queries, switch_queries, port_queries, clock
    )
    port_rules = PortRules(database, clock, bus)
    roll_calls = RollCalls(database, topology, fleet, makers, search, findings.claimed_uplinks, clock)
    rehearsals = Rehearsals(background, lambda: runtime_settings.thresholds, clock)
    stack.callback(rehearsals.stop)
    sweeps = Sweeps(
        background,
        fleet,
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
        turns=turns,
        fleet=fleet,
        ingestor=ingestor,
        topology=topology,
        names=names,
        label_index=label_index,
        findings=findings,
        followup=followup,
        makers=makers,
        poller=poller,
        reads=reads,
        rounds=OnDemandRounds(database, clock, reads.read_next),
        assignments=assignments,
        inventory=inventory,
        credentials=NamedCredentials(database, storage.vault, clock, turns, assignments, limits),
        sites_and_groups=SitesAndGroups(database, turns, fleet, assignments),
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
        labels=Labels(database, label_index),
        device_links=DeviceLinks(database),
        saved_queries=SavedQueries(database, clock),
        kept_answers=KeptAnswers(database, storage.vault, clock),
        mappings=mappings,
        shared_addresses=SharedAddresses(database, bus),
        endpoint_queries=endpoint_queries,
        endpoint_history=EndpointHistory(database, topology, clock),
        endpoint_list=EndpointList(database, endpoint_queries, makers),
        paths=Paths(database, endpoint_queries, search),
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
        status=StatusQueries(database_watch, turns, fleet, supervisor, following, clock),
        database_watch=database_watch,
        following=following,
        supervisor=supervisor,
        traces=traces,
    )


def _openid(config: Config, storage: Storage, access: AccessBook, clock: Clock) -> OpenIdSignIn:
    provider = None
    if config.openid.issuer:
        back = f"{config.listen.public_url.rstrip('/')}{OPENID_CALLBACK}"
        provider = OpenIdProvider(config.openid, back, clock)
    return OpenIdSignIn(config.openid, provider, storage.database, access, storage.vault, clock)
