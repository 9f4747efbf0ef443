"""What is odd about a switch as it is set up and read, in sentences an operator can act on."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.mac import MacAddress

LATE = 3
"""Intervals without a complete reading after which a switch is late."""
NEARLY_FULL = 0.9
"""Share of its size from which a table counts as nearly full."""
_DRIFT_SHARE = 0.05
_DRIFT_LEAST = timedelta(seconds=5)
"""An uptime that runs apart from our clock by more than both is told: restarts are judged by it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Watched:
    """The facts warnings are drawn from."""

    name: str
    interval: timedelta
    ageing: timedelta | None
    enabled: bool
    read_at: datetime | None
    bridge_address: MacAddress | None
    learning_discards: int | None
    discards_rose_at: datetime | None = None
    table_size: int | None = None
    """Addresses its table holds; None when not known."""
    table_used: int = 0
    drift: timedelta | None = None
    """By how much its uptime ran ahead of our clock between its last two readings."""

    @property
    def late_since(self) -> datetime | None:
        """When it became, or becomes, late; None while it was never read."""
        return None if self.read_at is None else self.read_at + LATE * self.interval

    def late(self, now: datetime) -> bool:
        since = self.late_since
        return self.enabled and since is not None and now > since


def warnings(one: Watched, twins: Mapping[MacAddress, Sequence[str]], now: datetime) -> list[str]:
    """`twins`: for each bridge address, the names of all switches that tell it."""
    found = [*_table(one, now), *_clock(one)]
    if one.ageing is not None and one.interval > one.ageing:
        found.append(
            f"it is read every {_span(one.interval)}, but forgets addresses after {_span(one.ageing)}: "
            "endpoints that talk seldom are missed. Read it more often"
        )
    if one.bridge_address is not None:
        others = [name for name in twins.get(one.bridge_address, ()) if name != one.name]
        if others:
            found.append(
                f"it has the same bridge address as {', '.join(others)}: the same switch may be in the "
                "inventory twice"
            )
    if one.read_at is not None and one.late(now):
        found.append(
            f"its last complete reading is {_span(now - one.read_at)} old: what is said of it may be over"
        )
    return found


def _table(one: Watched, now: datetime) -> Iterator[str]:
    if one.table_size and one.table_used >= NEARLY_FULL * one.table_size:
        yield (
            f"its table is nearly full: {one.table_used} of {one.table_size} addresses. Once full, frames "
            "to further addresses flood every port: look for a loop or an attack, or shorten the ageing time"
        )
    if not one.learning_discards:
        return
    rose = one.discards_rose_at
    if rose is not None and now - rose <= LATE * one.interval:
        yield (
            f"it cannot learn addresses for want of room, and the count rises: {one.learning_discards} "
            f"since it started, last {_span(now - rose)} ago"
        )
    else:
        yield (
            f"it could not learn {one.learning_discards} addresses since it started, for its table was "
            "full; the count does not rise now"
        )


def _clock(one: Watched) -> Iterator[str]:
    if one.drift is None or abs(one.drift) <= max(_DRIFT_LEAST, _DRIFT_SHARE * one.interval):
        return
    way = "ahead of" if one.drift > timedelta(0) else "behind"
    yield (
        f"its uptime ran {_span(abs(one.drift))} {way} our clock between its last two readings: one of the "
        "clocks is off, and a restart may be missed or made up. Look at the time service of both"
    )


def _span(span: timedelta) -> str:
    seconds = round(span.total_seconds())
    return f"{seconds // 60} min" if seconds >= 120 else f"{seconds} s"
