"""How the service itself is doing."""

from dataclasses import dataclass
from datetime import timedelta

from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.supervisor import Supervisor, WorkerHealth
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable
from kiteroll.store import inventory
from kiteroll.store.database import Database

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
    def __init__(
        self, database: Database, ingestor: ReadingIngestor, supervisor: Supervisor, clock: Clock
    ) -> None:
        self._database = database
        self._ingestor = ingestor
        self._supervisor = supervisor
        self._clock = clock

    def status(self) -> ServiceStatus:
        """Answers also while the database is away."""
        problem = self._ingestor.storage_problem
        switches = 0
        try:
            switches = self._database.run(inventory.count_switches)
        except StorageUnavailable as away:
            problem = str(away)
        return ServiceStatus(
            database_problem=problem,
            switches=switches,
            endpoints=len(self._ingestor.index),
            tracked=self._ingestor.tracker.tracked(),
            clock_ahead=self._clock.ahead(),
            workers=self._supervisor.health(),
        )

    def check_database(self) -> None:
        """Raises StorageUnavailable."""
        self._database.check()
