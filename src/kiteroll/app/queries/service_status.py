"""How the service itself is doing."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import timedelta

from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.serving.following import Following
from kiteroll.app.supervisor import Supervisor, WorkerHealth
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable, TrackerAway
from kiteroll.core.findings.finding import Finding

__all__ = ["ServiceStatus", "StatusQueries", "WorkerHealth"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceStatus:
    database_problem: str | None
    switches: int
    endpoints: int
    tracked: int
    """Entries in the tracker: address, VLAN and switch."""
    open_findings: int
    """Those that another one explains left out."""
    clock_ahead: timedelta
    following: Following | None
    workers: list[WorkerHealth]


class StatusQueries:
    """Answers at once, whatever the database does."""

    def __init__(
        self,
        watch: DatabaseWatch,
        turns: Turns,
        fleet: TrackedFleet,
        live_findings: Callable[[], Sequence[Finding]],
        supervisor: Supervisor,
        following: Following | None,
        clock: Clock,
    ) -> None:
        """`following`: of a service that only answers."""
        self.following = following
        self._watch = watch
        self._turns = turns
        self._fleet = fleet
        self._live_findings = live_findings
        self._supervisor = supervisor
        self._clock = clock

    def status(self) -> ServiceStatus:
        return ServiceStatus(
            database_problem=self._problem(),
            switches=len(self._fleet.switches),
            endpoints=len(self._fleet.index),
            tracked=self._fleet.tracker.tracked(),
            open_findings=sum(one.stands_open for one in self._live_findings()),
            clock_ahead=self._clock.ahead(),
            following=self.following,
            workers=self._supervisor.health(),
        )

    def check_ready(self) -> None:
        """Whether answers can be relied on. Raises StorageUnavailable or TrackerAway."""
        if (problem := self._problem()) is not None:
            raise StorageUnavailable(problem)
        if self.following is not None and self.following.problem:
            raise TrackerAway(self.following.problem)

    def _problem(self) -> str | None:
        """Readings that wait show more than whether the database answers: it may take no writes."""
        return self._turns.storage_problem or self._watch.problem
