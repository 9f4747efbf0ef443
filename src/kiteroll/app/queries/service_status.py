"""How the service itself is doing."""

from dataclasses import dataclass
from datetime import timedelta

from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.supervisor import Supervisor, WorkerHealth
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable

__all__ = ["ServiceStatus", "StatusQueries", "WorkerHealth"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceStatus:
    database_problem: str | None
    switches: int
    endpoints: int
    tracked: int
    """Entries in the tracker: address, VLAN and switch."""
    clock_ahead: timedelta
    workers: list[WorkerHealth]


class StatusQueries:
    """Answers at once, whatever the database does."""

    def __init__(
        self, watch: DatabaseWatch, ingestor: ReadingIngestor, supervisor: Supervisor, clock: Clock
    ) -> None:
        self._watch = watch
        self._ingestor = ingestor
        self._supervisor = supervisor
        self._clock = clock

    def status(self) -> ServiceStatus:
        return ServiceStatus(
            database_problem=self._problem(),
            switches=len(self._ingestor.switches),
            endpoints=len(self._ingestor.index),
            tracked=self._ingestor.tracker.tracked(),
            clock_ahead=self._clock.ahead(),
            workers=self._supervisor.health(),
        )

    def check_database(self) -> None:
        """Raises StorageUnavailable."""
        if (problem := self._problem()) is not None:
            raise StorageUnavailable(problem)

    def _problem(self) -> str | None:
        """Readings that wait tell more than whether the database answers: it may take no writes."""
        return self._ingestor.storage_problem or self._watch.problem
