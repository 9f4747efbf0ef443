"""Figures of the service for monitoring, in the Prometheus text format."""

import platform
from collections import Counter as Tally
from collections.abc import Callable, Iterator, Sequence

from prometheus_client import CollectorRegistry, Counter, Histogram, Info, ProcessCollector, generate_latest
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily
from prometheus_client.registry import Collector

from kiteroll import __version__
from kiteroll.app.events import ChangesCounted, EventBus, ReadingFailed, ReadingStored
from kiteroll.app.queries.switches import SwitchQueries, SwitchView
from kiteroll.app.supervisor import Supervisor
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.finding import Finding, FindingKind, Severity
from kiteroll.core.model.changes import ChangeKind

_OUTCOMES = ("complete", "partial", "failed")
_STATUS_CLASSES = ("2xx", "3xx", "4xx", "5xx")
_CALL_SECONDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10)
_SECONDS = (0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60)


class Metrics:
    def __init__(
        self,
        bus: EventBus,
        fleet: TrackedFleet,
        switches: SwitchQueries,
        live_findings: Callable[[], Sequence[Finding]],
        supervisor: Supervisor,
        in_use: Callable[[], int],
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
            "kiteroll_changes", "Changes found, without those at uplinks", ["kind"], registry=self._registry
        )
        self._calls = Counter("kiteroll_http_requests", "Calls answered", ["status"], registry=self._registry)
        self._call_seconds = Histogram(
            "kiteroll_http_request_duration_seconds",
            "How long calls took until their answer began",
            ["operation"],
            buckets=_CALL_SECONDS,
            registry=self._registry,
        )
        build = {"version": __version__, "python": platform.python_version()}
        Info("kiteroll_build", "The running program", registry=self._registry).info(build)
        # All there are from the first scrape on: a rate begins at zero, not at the first event.
        for status in _STATUS_CLASSES:
            self._calls.labels(status)
        for outcome in _OUTCOMES:
            self._readings.labels(outcome)
        for kind in ChangeKind:
            self._changes.labels(kind.value)
        ProcessCollector(registry=self._registry)
        self._registry.register(_Now(fleet, switches, live_findings, supervisor, in_use, clock))
        bus.subscribe(ReadingStored, self._on_reading)
        bus.subscribe(ReadingFailed, self._on_failure)
        bus.subscribe(ChangesCounted, self._on_counted)

    def text(self) -> bytes:
        return generate_latest(self._registry)

    def count_call(self, operation: str, status: int, seconds: float) -> None:
        """A call that was answered; `operation`: its id, or `refused`."""
        self._calls.labels(f"{status // 100}xx").inc()
        self._call_seconds.labels(operation).observe(seconds)

    def _on_reading(self, event: ReadingStored) -> None:
        self._readings.labels("complete" if event.summary.complete else "partial").inc()
        self._seconds.observe(event.duration.total_seconds())

    def _on_counted(self, event: ChangesCounted) -> None:
        for kind, count in event.of_kind.items():
            self._changes.labels(kind.value).inc(count)

    def _on_failure(self, event: ReadingFailed) -> None:
        self._readings.labels("failed").inc()
        self._seconds.observe(event.duration.total_seconds())


class _Now(Collector):
    """Gauges, as of the moment of the scrape."""

    def __init__(
        self,
        fleet: TrackedFleet,
        switches: SwitchQueries,
        live_findings: Callable[[], Sequence[Finding]],
        supervisor: Supervisor,
        in_use: Callable[[], int],
        clock: Clock,
    ) -> None:
        self._fleet = fleet
        self._switches = switches
        self._live_findings = live_findings
        self._supervisor = supervisor
        self._in_use = in_use
        self._clock = clock

    def collect(self) -> Iterator[GaugeMetricFamily | CounterMetricFamily]:
        yield _gauge("kiteroll_endpoints", "Addresses ever learned", len(self._fleet.index))
        yield _gauge("kiteroll_tracked", "Open stays", self._fleet.tracker.tracked())
        yield self._findings()
        yield from self._workers()
        yield _gauge("kiteroll_database_connections", "Connections that calls use now", self._in_use())
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
        yield from self._each_switch(views)
        read = [one.row.last_complete_at for one in views if one.row.last_complete_at is not None]
        if read:
            age = (self._clock.now() - min(read)).total_seconds()
            yield _gauge(
                "kiteroll_oldest_reading_seconds", "Age of the oldest switch's complete reading", age
            )

    def _each_switch(self, views: Sequence[SwitchView]) -> Iterator[GaugeMetricFamily]:
        labels = ["switch", "site"]
        up = GaugeMetricFamily("kiteroll_switch_up", "Whether its last reading was complete", labels=labels)
        age = GaugeMetricFamily(
            "kiteroll_switch_reading_age_seconds", "Age of its last complete reading", labels=labels
        )
        present = GaugeMetricFamily("kiteroll_switch_addresses", "Addresses learned there now", labels=labels)
        now = self._clock.now()
        for one in views:
            of = [one.row.name, one.row.site]
            up.add_metric(of, int(one.health.is_healthy))
            present.add_metric(of, one.present)
            if one.row.last_complete_at is not None:
                age.add_metric(of, (now - one.row.last_complete_at).total_seconds())
        yield from (up, age, present)

    def _findings(self) -> GaugeMetricFamily:
        """Of every kind there is: one that has none open stands at zero."""
        findings = GaugeMetricFamily("kiteroll_findings_open", "Open findings", labels=["kind", "severity"])
        live = self._live_findings()
        tally = Tally((one.kind, one.severity) for one in live if one.stands_open)
        for kind in FindingKind:
            for severity in Severity:
                findings.add_metric([kind.value, severity.value], tally[kind, severity])
        return findings

    def _workers(self) -> Iterator[GaugeMetricFamily | CounterMetricFamily]:
        up = GaugeMetricFamily("kiteroll_worker_up", "Whether a worker runs", labels=["worker"])
        failures = CounterMetricFamily(
            "kiteroll_worker_failures", "How often a worker failed and was started again", labels=["worker"]
        )
        for one in self._supervisor.health():
            up.add_metric([one.name], int(one.running))
            failures.add_metric([one.name], one.failures)
        yield from (up, failures)


def _gauge(name: str, about: str, value: float) -> GaugeMetricFamily:
    return GaugeMetricFamily(name, about, value=value)
