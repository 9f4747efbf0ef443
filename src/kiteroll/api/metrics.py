"""Figures of the service for monitoring, in the Prometheus text format."""

from collections import Counter as Tally
from collections.abc import Callable, Iterator, Sequence

from prometheus_client import CollectorRegistry, Counter, Histogram, ProcessCollector, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from kiteroll.app.events import EventBus, ReadingFailed, ReadingStored
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.supervisor import Supervisor
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.finding import Finding, Severity, State
from kiteroll.core.model.changes import KINDS, ChangeKind

_OUTCOMES = ("complete", "partial", "failed")
_SECONDS = (0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60)


class Metrics:
    def __init__(
        self,
        bus: EventBus,
        ingestor: ReadingIngestor,
        switches: SwitchQueries,
        live_findings: Callable[[], Sequence[Finding]],
        supervisor: Supervisor,
        clock: Clock,
    ) -> None:
        self._registry = CollectorRegistry(auto_describe=False)
        self._readings = Counter(
            "kiteroll_readings", "Tries at reading a switch", ["outcome"], registry=self._registry
        )
        self._seconds = Histogram(
            "kiteroll_reading_seconds", "How long they took", buckets=_SECONDS, registry=self._registry
        )
        self._changes = Counter(
            "kiteroll_changes", "Changes found by readings", ["kind"], registry=self._registry
        )
        # All there are from the first scrape on: a rate begins at zero, not at the first event.
        for outcome in _OUTCOMES:
            self._readings.labels(outcome)
        for kind in ChangeKind:
            self._changes.labels(kind.value)
        ProcessCollector(registry=self._registry)
        self._registry.register(_Now(ingestor, switches, live_findings, supervisor, clock))
        bus.subscribe(ReadingStored, self._on_reading)
        bus.subscribe(ReadingFailed, self._on_failure)

    def text(self) -> bytes:
        return generate_latest(self._registry)

    def _on_reading(self, event: ReadingStored) -> None:
        self._readings.labels("complete" if event.reading.complete else "partial").inc()
        self._seconds.observe(event.duration.total_seconds())
        kinds = Tally(KINDS[type(one)] for one in event.changes if type(one) in KINDS)
        for kind, count in kinds.items():
            self._changes.labels(kind.value).inc(count)

    def _on_failure(self, event: ReadingFailed) -> None:
        self._readings.labels("failed").inc()
        self._seconds.observe(event.duration.total_seconds())


class _Now(Collector):
    """Gauges, as of the moment of the scrape."""

    def __init__(
        self,
        ingestor: ReadingIngestor,
        switches: SwitchQueries,
        live_findings: Callable[[], Sequence[Finding]],
        supervisor: Supervisor,
        clock: Clock,
    ) -> None:
        self._ingestor = ingestor
        self._switches = switches
        self._live_findings = live_findings
        self._supervisor = supervisor
        self._clock = clock

    def collect(self) -> Iterator[GaugeMetricFamily]:
        yield _gauge("kiteroll_endpoints", "Addresses ever learned", len(self._ingestor.index))
        yield _gauge("kiteroll_tracked", "Open stays", self._ingestor.tracker.tracked())
        yield self._findings()
        yield self._workers()
        try:
            views = [one for one in self._switches.all() if one.row.enabled]
        except StorageUnavailable:
            yield _gauge("kiteroll_database_up", "Whether the database answers", 0)
            return
        yield _gauge("kiteroll_database_up", "Whether the database answers", 1)
        switches = GaugeMetricFamily("kiteroll_switches", "Switches that are read", labels=["health"])
        for health, count in sorted(Tally(one.health.value for one in views).items()):
            switches.add_metric([health], count)
        yield switches
        read = [one.row.last_complete_at for one in views if one.row.last_complete_at is not None]
        if read:
            age = (self._clock.now() - min(read)).total_seconds()
            yield _gauge(
                "kiteroll_oldest_reading_seconds", "Age of the oldest switch's complete reading", age
            )

    def _findings(self) -> GaugeMetricFamily:
        findings = GaugeMetricFamily("kiteroll_findings_open", "Open findings", labels=["severity"])
        live = self._live_findings()
        tally = Tally(one.severity for one in live if one.state is State.OPEN and not one.part_of)
        for severity in Severity:
            findings.add_metric([severity.value], tally[severity])
        return findings

    def _workers(self) -> GaugeMetricFamily:
        workers = GaugeMetricFamily("kiteroll_worker_up", "Whether a worker runs", labels=["worker"])
        for one in self._supervisor.health():
            workers.add_metric([one.name], int(one.running))
        return workers


def _gauge(name: str, about: str, value: float) -> GaugeMetricFamily:
    return GaugeMetricFamily(name, about, value=value)
