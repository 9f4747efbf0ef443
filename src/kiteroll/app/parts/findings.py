"""What a person must look at, and who is told of it."""

from dataclasses import dataclass

from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.alerts.router import AlertRouter
from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.finding_facts import StoredFacts
from kiteroll.app.parts.acting import ActingParts
from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.reading import ReadingParts
from kiteroll.app.parts.tracking import TrackingParts
from kiteroll.app.service_watch import ServiceWatch
from kiteroll.app.workers.findings import FindingWorker


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingParts:
    worker: FindingWorker
    database_watch: DatabaseWatch
    alert_router: AlertRouter
    alert_sender: AlertSender
    alert_targets: AlertTargets
    alert_routes: AlertRoutes


def build_findings(
    basis: Basis, tracking: TrackingParts, reading: ReadingParts, acting: ActingParts
) -> FindingParts:
    """Raises StorageUnavailable."""
    config, storage, settings = basis.config, basis.storage, basis.settings
    bus, clock = basis.bus, basis.clock
    database, background, fleet = storage.database, storage.background, tracking.fleet
    sender = AlertSender(background, clock, storage.vault)
    database_watch = DatabaseWatch(storage.watch, clock)
    watch = ServiceWatch(
        basis.supervisor,
        sender,
        database_watch,
        config.data_dir,
        config.certificate_file,
        acting.closed_ports.as_of_last_step,
        reading.collectors.conditions,
        reading.areas.troubles,
        clock,
    )
    facts = StoredFacts(background, fleet, tracking.topology, watch.condition)
    worker = FindingWorker(
        background,
        facts,
        settings.thresholds,
        clock,
        bus,
        reading.followup.request,
        None if basis.only_answers else facts.rules_known_since(),
    )
    settings.on_change(lambda: worker.change_thresholds(settings.thresholds))
    router = AlertRouter(background, clock, bus, worker.live, config.listen.public_url)
    router.on_message(sender.wake)
    if basis.only_answers:
        fleet.on_rename(lambda *_: worker.reload())
    else:
        fleet.on_rename(worker.switch_renamed)
        fleet.on_rename(router.switch_renamed)
    return FindingParts(
        worker=worker,
        database_watch=database_watch,
        alert_router=router,
        alert_sender=sender,
        alert_targets=AlertTargets(database, clock, storage.vault, router, sender),
        alert_routes=AlertRoutes(database, clock, router),
    )
