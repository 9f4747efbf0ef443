"""Targets: where alerts are delivered to, and how it goes."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kiteroll.app.alerts.router import AlertRouter
from kiteroll.app.alerts.sender import AlertSender, Failing
from kiteroll.app.alerts.wording import test_message
from kiteroll.clock import Clock
from kiteroll.deliver.delivery import NotDelivered
from kiteroll.store import alert_settings, outbox
from kiteroll.store.alert_settings import TargetRow
from kiteroll.store.database import Database
from kiteroll.store.outbox import Backlog
from kiteroll.store.vault import Vault


@dataclass(frozen=True, slots=True)
class TargetStatus:
    row: TargetRow
    backlog: Backlog
    failing: Failing | None


@dataclass(frozen=True, slots=True)
class TestResult:
    error: str
    """Empty: it was delivered."""
    duration_s: float


class AlertTargets:
    def __init__(
        self, database: Database, clock: Clock, vault: Vault, router: AlertRouter, sender: AlertSender
    ) -> None:
        self._database = database
        self._clock = clock
        self._vault = vault
        self._router = router
        self._sender = sender

    def all(self) -> list[TargetStatus]:
        """By name."""
        rows = self._database.run(alert_settings.all_targets)
        backlogs = self._database.run(outbox.backlogs)
        return [self._status(row, backlogs) for row in rows]

    def get(self, name: str) -> TargetStatus:
        """Raises NotFound."""
        row = self._database.run(alert_settings.get_target, name)
        return self._status(row, self._database.run(outbox.backlogs))

    def set(
        self, name: str, kind: str, settings: Mapping[str, Any], secret: str | None, **values: Any
    ) -> TargetStatus:
        """Add or change one. `secret`: None keeps what is there, empty takes it away; `values`: enabled,
        audit_log."""
        known = {one.name: one for one in self._database.run(alert_settings.all_targets)}
        sealed = known[name].sealed if name in known and known[name].kind == kind else None
        if secret is not None:
            sealed = self._vault.seal(secret) if secret else None
        columns = {"kind": kind, "settings": dict(settings), "sealed": sealed, **values}
        row = self._database.run(alert_settings.set_target, name, columns, self._clock.now())
        self._router.settings_changed()
        self._sender.try_again(row.id)
        return self.get(name)

    def remove(self, name: str) -> None:
        """Raises NotFound or Conflict."""
        self._database.run(alert_settings.remove_target, name)
        self._router.settings_changed()

    def test(self, name: str, by: str) -> TestResult:
        """Send a test there now. Raises NotFound."""
        row = self._database.run(alert_settings.get_target, name)
        began = self._clock.monotonic()
        error = ""
        try:
            self._sender.send_now(row, test_message(name, by, self._clock.now()))
        except NotDelivered as wrong:
            error = str(wrong)
        else:
            self._sender.try_again(row.id)
        return TestResult(error, self._clock.monotonic() - began)

    def _status(self, row: TargetRow, backlogs: Mapping[int, Backlog]) -> TargetStatus:
        return TargetStatus(row, backlogs.get(row.id, Backlog(0, None)), self._sender.failing(row.id))
