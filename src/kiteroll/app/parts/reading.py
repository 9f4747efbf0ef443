"""Which switches are read, by whom, and how their readings come in."""

import random
from dataclasses import dataclass

from kiteroll.app.collector_targets import CollectorTargets
from kiteroll.app.collectors import Collectors
from kiteroll.app.csv_mappings import CsvMappings
from kiteroll.app.imports import Importer
from kiteroll.app.ingest import Outcome
from kiteroll.app.inventory import Inventory
from kiteroll.app.named_credentials import NamedCredentials
from kiteroll.app.on_demand_rounds import OnDemandRounds
from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.tracking import TrackingParts
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.sites_and_groups import SitesAndGroups
from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.switch_reads import SwitchReads
from kiteroll.app.trackers.areas import AreaTrackers
from kiteroll.app.trackers.tracker_events import TrackerEvents
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.app.workers.followup_probe import FollowupProbe
from kiteroll.collect.poller import Poller


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingParts:
    poller: Poller[Outcome | None]
    reads: SwitchReads
    followup: FollowupProbe
    rounds: OnDemandRounds
    importer: Importer
    mappings: CsvMappings
    assignments: SwitchAssignments
    inventory: Inventory
    credentials: NamedCredentials
    sites_and_groups: SitesAndGroups
    collectors: Collectors
    collector_bus: CollectorBus
    areas: AreaTrackers
    tracker_events: TrackerEvents


def build_reading(basis: Basis, tracking: TrackingParts) -> ReadingParts:
    """Raises StorageUnavailable."""
    config, storage, bus, clock = basis.config, basis.storage, basis.bus, basis.clock
    database, background, vault, lease = storage.database, storage.background, storage.vault, storage.lease
    turns, fleet, ingestor = tracking.turns, tracking.fleet, tracking.ingestor
    limits = config.reading.limits()
    store = basis.traces.reading(ingestor.ingest)
    poller: Poller[Outcome | None] = Poller(
        clock, limits, store, concurrency=config.reading.concurrency, jitter=random.random
    )
    intake = SiteIntake(background, clock)
    targets = CollectorTargets(background, vault)
    collectors = Collectors(background, clock, targets.of_site, intake, has_bus=bool(config.bus.url))
    if config.bus.url:
        collectors.load()
    areas = AreaTrackers(
        background, turns, fleet, collectors.reads, intake, clock, bus, lambda: collector_bus.sites_changed()
    )
    if not basis.only_answers and fleet.elsewhere and not (config.bus.url and lease):
        fleet.reclaim(fleet.elsewhere)  # no tracker can be heard
    areas.load()
    assignments = SwitchAssignments(database, vault, poller, limits, collectors.reads, collectors.changed)
    collector_bus = CollectorBus(
        config.bus, collectors, intake, ingestor, store, assignments.site_elsewhere, areas.sites, clock
    )
    reads = SwitchReads(database, poller, clock, assignments.site_elsewhere, collector_bus.read_now)
    mappings = CsvMappings(database)
    return ReadingParts(
        poller=poller,
        reads=reads,
        followup=FollowupProbe(background, poller, ingestor, clock),
        rounds=OnDemandRounds(database, clock, reads.read_next),
        importer=Importer(database, ingestor, mappings, clock),
        mappings=mappings,
        assignments=assignments,
        inventory=Inventory(
            *(database, vault, clock, turns, fleet, assignments), lambda: basis.settings.interval_s, bus
        ),
        credentials=NamedCredentials(database, vault, clock, turns, assignments, limits),
        sites_and_groups=SitesAndGroups(database, turns, fleet, assignments),
        collectors=collectors,
        collector_bus=collector_bus,
        areas=areas,
        tracker_events=TrackerEvents(
            config.bus, lease.epoch if lease else 0, turns, ingestor, intake, bus, collector_bus, clock
        ),
    )
