"""What of a reading is passed on, once it is stored: all but its tables."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Gap, Reading


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingSummary:
    taken_at: datetime
    complete: bool
    learned: int
    """How many addresses were learned at a port."""
    others: int
    """How many rows stand for no endpoint."""
    gaps: tuple[Gap, ...] = ()
    ageing: timedelta | None = None
    topology_changes: int | None = None
    bridge_address: MacAddress | None = None

    @classmethod
    def of(cls, reading: Reading) -> "ReadingSummary":
        device = reading.device
        return cls(
            taken_at=reading.taken_at,
            complete=reading.complete,
            learned=len(reading.learned),
            others=len(reading.others),
            gaps=reading.gaps,
            ageing=device.ageing,
            topology_changes=device.topology_changes,
            bridge_address=device.bridge_address,
        )
