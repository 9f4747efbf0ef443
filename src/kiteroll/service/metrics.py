"""Figures of the service for monitoring, in the Prometheus text format."""

from collections import Counter as Tally
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from prometheus_client import CollectorRegistry, Counter, Histogram, ProcessCollector, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from kiteroll.collect.rounds import Attempt
from kiteroll.core.changes import KINDS, Change, ChangeKind
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.model import Severity
from kiteroll.core.reading import Reading
from kiteroll.store import inventory

if TYPE_CHECKING:
    from kiteroll.service.life import Service

_OUTCOMES = ("complete", "partial", "failed")
_SECONDS = (0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60)


class Metrics:
    def __init__(self, service: "Service") -> None:
        self._registry = CollectorRegistry(auto_describe=False)
        self._readings = Counter(
            "kiteroll_readings", "Tries at reading a switch", ["outcome"], registry=self._registry
        )
        self._took = Histogram(
            "kiteroll_reading_seconds", "How long they took", buckets=_SECONDS, registry=self._registry
        )
        self._changes = Counter(
            "kiteroll_changes", "Changes that readings told of", ["kind"], registry=self._registry
        )
        # All there are from the first scrape on: a rate begins at nought, not at the first event.
        for outcome in _OUTCOMES:
            self._readings.labels(outcome)
        for kind in ChangeKind:
            self._changes.labels(kind.value)
        ProcessCollector(registry=self._registry)
        self._registry.register(_Now(service))

    def note(self, attempt: Attempt, changes: Sequence[Change]) -> None:
        """Called in the intake's thread."""
        outcome = attempt.outcome
        if isinstance(outcome, Reading):
            self._readings.labels("complete" if outcome.complete else "partial").inc()
        else:
            self._readings.labels("failed").inc()
        self._took.observe(attempt.duration.total_seconds())
        for kind, count in Tally(KINDS[type(one)] for one in changes if type(one) in KINDS).items():
            self._changes.labels(kind.value).inc(count)

    def text(self) -> bytes:
        return generate_latest(self._registry)


class _Now(Collector):
    """How things stand at the moment of asking."""

    def __init__(self, service: "Service") -> None:
        self._service = service

    def collect(self) -> Iterator[GaugeMetricFamily]:
        service = self._service
        yield _one("kiteroll_endpoints", "Addresses ever learned", len(service.intake.index))
        yield _one("kiteroll_tracked", "Open stays", service.intake.tracker.tracked())
        findings = GaugeMetricFamily("kiteroll_findings_open", "Open findings", labels=["severity"])
        live = list(service.watchman.book.live().values())
        tally = Tally(one.severity for one in live if one.state.value == "open" and not one.part_of)
        for severity in Severity:
            findings.add_metric([severity.value], tally[severity])
        yield findings
        try:
            rows = [row for row in service.database.run(inventory.all_switches) if row.enabled]
        except StorageUnavailable:
            yield _one("kiteroll_database_up", "Whether the database answers", 0)
            return
        yield _one("kiteroll_database_up", "Whether the database answers", 1)
        switches = GaugeMetricFamily("kiteroll_switches", "Switches that are read", labels=["health"])
        for health, count in sorted(Tally(row.health for row in rows).items()):
            switches.add_metric([health], count)
        yield switches
        read = [row.last_complete_at for row in rows if row.last_complete_at is not None]
        if read:
            age = (service.clock.now() - min(read)).total_seconds()
            yield _one("kiteroll_oldest_reading_seconds", "Age of the oldest switch's complete reading", age)


def _one(name: str, about: str, value: float) -> GaugeMetricFamily:
    return GaugeMetricFamily(name, about, value=value)
