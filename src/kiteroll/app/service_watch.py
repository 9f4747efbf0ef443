"""How the service itself is doing, for the finding engine."""

import shutil
from datetime import datetime, timedelta
from pathlib import Path

from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.certificates import ends_at
from kiteroll.app.database_watch import DatabaseWatch
from kiteroll.app.supervisor import Supervisor
from kiteroll.clock import Clock
from kiteroll.core.errors import ConfigError
from kiteroll.core.findings.service_condition import ServiceCondition, Trouble

_LATELY = timedelta(minutes=5)


class ServiceWatch:
    def __init__(
        self,
        supervisor: Supervisor,
        sender: AlertSender,
        database: DatabaseWatch,
        data_dir: Path,
        certificate: Path | None,
        clock: Clock,
    ) -> None:
        self._supervisor = supervisor
        self._sender = sender
        self._database = database
        self._data_dir = data_dir
        self._certificate = certificate
        self._clock = clock

    def condition(self) -> ServiceCondition:
        now = self._clock.now()
        return ServiceCondition(
            workers=tuple(
                Trouble(one.name, one.failed_at, one.error)
                for one in self._supervisor.health()
                if one.failed_at is not None and now - one.failed_at < _LATELY
            ),
            targets=tuple(
                Trouble(name, failing.since, failing.error) for name, failing in self._sender.all_failing()
            ),
            disk=self._disk(),
            certificate_ends_at=self._certificate_ends_at(),
            outage=self._database.outage,
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
