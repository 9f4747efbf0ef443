"""How the service itself is doing, for the finding engine."""

import shutil
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from pathlib import Path

from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.certificates import ends_at
from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.supervisor import Supervisor
from kiteroll.clock import Clock
from kiteroll.core.errors import ConfigError
from kiteroll.core.findings.service_condition import ClosedPort, ServiceCondition, Trouble
from kiteroll.core.model.collector import SiteCondition
from kiteroll.store.port_closures import ClosureRow

_LATELY = timedelta(minutes=5)
ClosedNow = tuple[Sequence[ClosureRow], tuple[datetime, str] | None]


class ServiceWatch:
    def __init__(
        self,
        supervisor: Supervisor,
        sender: AlertSender,
        database: DatabaseWatch,
        data_dir: Path,
        certificate: Path | None,
        closed: Callable[[], ClosedNow],
        sites: Callable[[], Sequence[SiteCondition]],
        trackers: Callable[[], Sequence[Trouble]],
        clock: Clock,
    ) -> None:
        """`closed`: ports that are closed, and whether closing by rules has stopped; `sites`: those that
        collectors read; `trackers`: of areas that are not heard any more."""
        self._trackers = trackers
        self._sites = sites
        self._supervisor = supervisor
        self._sender = sender
        self._database = database
        self._data_dir = data_dir
        self._certificate = certificate
        self._closed = closed
        self._clock = clock

    def condition(self) -> ServiceCondition:
        now = self._clock.now()
        closed, stopped = self._closed()
        return ServiceCondition(
            workers=(
                *(
                    Trouble(one.name, one.failed_at, one.error)
                    for one in self._supervisor.health()
                    if one.failed_at is not None and now - one.failed_at < _LATELY
                ),
                *self._trackers(),
            ),
            targets=tuple(
                Trouble(name, failing.since, failing.error) for name, failing in self._sender.all_failing()
            ),
            disk=self._disk(),
            certificate_ends_at=self._certificate_ends_at(),
            outage=self._database.outage,
            closed=tuple(_closed_port(one) for one in closed),
            sites=tuple(self._sites()),
            closing_stopped=None if stopped is None else Trouble("rules", *stopped),
        )

    def _disk(self) -> tuple[int, int] | None:
        try:
            usage = shutil.disk_usage(self._data_dir)
        except OSError:
            return None
        return usage.free, usage.total

    def _certificate_ends_at(self) -> datetime | None:
        try:
            return None if self._certificate is None else ends_at(self._certificate)
        except ConfigError:
            return None  # it cannot be read just now; the log says so


def _closed_port(row: ClosureRow) -> ClosedPort:
    return ClosedPort(
        port=row.closure.port,
        closed_at=row.closure.closed_at,
        by=row.closed_by or "a rule",
        why=row.why,
        held=row.closure.held,
        came_back=row.came_back,
    )
