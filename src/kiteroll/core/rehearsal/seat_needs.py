"""How many seats a port needed: what to set, by how many were present over time."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from kiteroll.core.model.port_ref import PortRef

_HIGH = 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class SeatNeed:
    port: PortRef
    typical: int
    """Different addresses present for half of the time in which anybody was."""
    high: int
    """Never more than that for 95 % of that time."""
    peak: int
    above_high: timedelta
    """For how long more than `high` were present."""


def seat_need(port: PortRef, times: Mapping[int, int]) -> SeatNeed:
    """`times`: for how many microseconds how many different addresses were present; not empty."""
    total = sum(times.values())
    reached, typical, high = 0, 0, 0
    for count in sorted(times):
        reached += times[count]
        typical = typical or (count if reached * 2 >= total else 0)
        high = high or (count if reached >= _HIGH * total else 0)
    above = sum(lasted for count, lasted in times.items() if count > high)
    return SeatNeed(
        port=port, typical=typical, high=high, peak=max(times), above_high=timedelta(microseconds=above)
    )
