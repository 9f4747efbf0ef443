"""How switches are tracked: the same for the service and for each tracker of an area."""

from dataclasses import dataclass, field
from datetime import timedelta

from kiteroll.core.tracking.admission import AdmissionLimits


@dataclass(frozen=True, slots=True)
class TrackingRules:
    hold_time: timedelta | None = None
    """How long an address that is not seen counts as present; None: three times the switch's ageing time."""
    limits: AdmissionLimits = field(default_factory=AdmissionLimits)

    @property
    def hold_time_s(self) -> float | None:
        return None if self.hold_time is None else self.hold_time.total_seconds()
