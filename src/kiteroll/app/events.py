"""What happens in the service, as values, and the one bus they go over."""

import logging
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, TypeVar

from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.changes import KINDS, Change, ChangeKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Port, Reading
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.core.tracking.admission import LeftOut
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.core.tracking.switch_health import SwitchHealth
from kiteroll.store.audit import AuditRow

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingStored:
    """A reading, polled or imported, was applied and committed."""

    switch_id: int
    switch: str
    summary: ReadingSummary
    ports: tuple[Port, ...] | None
    """As it names them; None: as the one before."""
    duration: timedelta
    changes: tuple[Change, ...]
    before: datetime | None
    """When the one before was taken; None: there was none."""
    checkpoint: SwitchCheckpoint
    left_out: LeftOut | None = None
    unknown: frozenset[MacAddress] = frozenset()
    """Addresses in it that no switch had before."""

    @property
    def first(self) -> bool:
        """Whether it is the first reading of the switch that was ever stored."""
        return self.before is None

    @property
    def change_count(self) -> int:
        """Changes that people see."""
        return sum(type(change) in KINDS for change in self.changes)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingFailed:
    """A switch was tried and could not be read."""

    switch_id: int
    switch: str
    at: datetime
    duration: timedelta
    health: SwitchHealth
    error: str


@dataclass(frozen=True, slots=True, kw_only=True)
class AddressProbed:
    """One address was asked for alone, and something had changed. No reading: no more is known."""

    switch_id: int
    switch: str
    reading: Reading
    changes: tuple[Change, ...]


@dataclass(frozen=True, slots=True)
class ChangesCounted:
    """Some seconds' changes, without those at uplinks."""

    of_kind: Mapping[ChangeKind, int]


@dataclass(frozen=True, slots=True)
class EndpointsForgotten:
    """Records of endpoints were deleted, as old as they were."""


@dataclass(frozen=True, slots=True)
class RulesChanged:
    """Rules of ports were changed, or which addresses count."""


@dataclass(frozen=True, slots=True)
class InventoryChanged:
    """A switch was added, changed or removed."""


@dataclass(frozen=True, slots=True)
class FindingChanged:
    finding: Finding


@dataclass(frozen=True, slots=True)
class AuditAppended:
    """A change that somebody made, or tried to make, is in the audit log."""

    row: AuditRow


Event = (
    ReadingStored
    | ReadingFailed
    | AddressProbed
    | ChangesCounted
    | RulesChanged
    | InventoryChanged
    | FindingChanged
    | AuditAppended
    | EndpointsForgotten
)
E = TypeVar("E", bound=Event)


class EventBus:
    """Handlers run in the publisher's thread and must return at once; one that fails is logged and
    keeps nobody else from hearing of the event."""

    def __init__(self) -> None:
        self._handlers: dict[type, list[Callable[[Any], None]]] = defaultdict(list)

    def subscribe(self, kind: type[E], handler: Callable[[E], None]) -> None:
        self._handlers[kind].append(handler)

    def publish(self, event: Event) -> None:
        for handler in self._handlers[type(event)]:
            try:
                handler(event)
            except Exception:
                log.exception(
                    "an event handler failed",
                    extra={"event": "bus.handler_failed", "kind": type(event).__name__},
                )
