"""What is odd about a switch as it is set up and read, in sentences an operator can act on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.mac import MacAddress

_LATE = 3
"""Intervals without a complete reading after which a switch is late."""


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


def warnings(one: Watched, twins: Mapping[MacAddress, Sequence[str]], now: datetime) -> list[str]:
    """`twins`: for each bridge address, the names of all switches that tell it."""
    found = []
    if one.ageing is not None and one.interval > one.ageing:
        found.append(
            f"it is read every {_span(one.interval)}, but forgets addresses after {_span(one.ageing)}: "
            "endpoints that talk seldom are missed. Read it more often"
        )
    if one.learning_discards:
        found.append(
            f"it could not learn {one.learning_discards} addresses since it started, for its table was full"
        )
    if one.bridge_address is not None:
        others = [name for name in twins.get(one.bridge_address, ()) if name != one.name]
        if others:
            found.append(
                f"it has the same bridge address as {', '.join(others)}: the same switch may be in the "
                "inventory twice"
            )
    if one.enabled and one.read_at is not None and now - one.read_at > _LATE * one.interval:
        found.append(
            f"its last complete reading is {_span(now - one.read_at)} old: what is said of it may be over"
        )
    return found


def _span(span: timedelta) -> str:
    seconds = round(span.total_seconds())
    return f"{seconds // 60} min" if seconds >= 120 else f"{seconds} s"
