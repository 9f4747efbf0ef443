"""The audit log: who did what, when and from where; written before a change is worked on and once it is."""

import secrets
import threading
from collections.abc import Iterator
from typing import Any

from kiteroll.app.events import AuditAppended, EventBus
from kiteroll.clock import Clock
from kiteroll.core.access.audit_chain import Verdict, verify
from kiteroll.core.access.principal import Principal
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import audit
from kiteroll.store.audit import BEGUN, DONE, FAILED, AuditFilters, AuditRow
from kiteroll.store.database import Database
from kiteroll.store.paging import Page

__all__ = ["BEGUN", "DONE", "FAILED", "AuditFilters", "AuditLog", "AuditRow"]


class AuditLog:
    def __init__(self, database: Database, clock: Clock, bus: EventBus) -> None:
        self._database = database
        self._clock = clock
        self._bus = bus
        self._lock = threading.Lock()
        """One entry after the other: each holds the digest of the one before."""

    def append(
        self,
        stage: str,
        action: str,
        subject: str,
        *,
        principal: Principal | None,
        client: str,
        by: str = "",
        call: str = "",
        before: Any = None,
        after: Any = None,
        note: str = "",
    ) -> None:
        """`by`: where there is no principal. Raises StorageUnavailable: what cannot be logged is not done."""
        values = {
            "call": call or secrets.token_hex(16),
            "stage": stage,
            "by": (principal.name if principal else by)[:64],
            "via": "" if principal is None else principal.via,
            "client": client[:64],
            "action": action,
            "subject": subject[:255],
            "before": before,
            "after": after,
            "note": note[:2000],
        }
        with self._lock:
            row = self._database.run(audit.append, self._clock.now(), values)
        if stage != BEGUN:
            self._bus.publish(AuditAppended(row))

    def page(self, filters: AuditFilters, ask: PageAsk) -> Page[AuditRow]:
        """Latest first."""
        return self._database.run(audit.page, filters, ask)

    def every_entry(self) -> Iterator[AuditRow]:
        """First to last, as they are read from the database."""
        return self._database.stream(audit.every_entry)

    def verify(self) -> Verdict:
        """Is the log as it was written?"""
        return verify(one.plain() for one in self.every_entry())


def changed_parts(before: Any, after: Any) -> tuple[Any, Any]:
    """Of two states of one thing, what differs."""
    if not isinstance(before, dict) or not isinstance(after, dict):
        return before, after
    names = [name for name in before | after if before.get(name) != after.get(name)]
    return (
        {name: before[name] for name in names if name in before},
        {name: after[name] for name in names if name in after},
    )


_SECRET = ("password", "passphrase", "community", "token", "secret", "auth_key", "priv_key")
_LONGEST_TEXT = 2000


def without_secrets(value: Any) -> Any:
    """What somebody sent, fit to be kept: no secrets, and of long texts the beginning."""
    if isinstance(value, dict):
        return {
            name: "(secret)" if _is_secret(name) and inner is not None else without_secrets(inner)
            for name, inner in value.items()
        }
    if isinstance(value, list):
        kept = [without_secrets(one) for one in value[:200]]
        return kept if len(value) <= 200 else [*kept, f"and {len(value) - 200} more"]
    if isinstance(value, str) and len(value) > _LONGEST_TEXT:
        return f"{value[:_LONGEST_TEXT]}… ({len(value)} characters)"
    return value


def _is_secret(name: Any) -> bool:
    return any(one in str(name).casefold() for one in _SECRET)
