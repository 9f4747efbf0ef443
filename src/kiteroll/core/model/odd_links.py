"""Ports whose link is slower than it could be: 10 Mb/s, or half duplex (EtherLike-MIB)."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

_SLOW_BPS = 10_000_000
_HALF = "half"


class LinkOddity(StrEnum):
    SLOW = "slow"
    HALF_DUPLEX = "half duplex"


@dataclass(frozen=True, slots=True)
class Link:
    """A port that is up."""

    port: str
    speed_bps: int | None
    duplex: str


def odd_links(links: Sequence[Link]) -> list[tuple[str, LinkOddity, int]]:
    """Ports of one switch that run at 10 Mb/s or half duplex, and the speed that most of its ports run at.
    No standard object says what a port could do; those beside it show it: where most run no faster,
    nothing is odd about 10 Mb/s."""
    speeds = Counter(one.speed_bps for one in links if one.speed_bps)
    usual = max(speeds, key=lambda speed: (speeds[speed], speed), default=0) or 0
    found = []
    for one in links:
        if one.speed_bps and one.speed_bps <= _SLOW_BPS < usual:
            found.append((one.port, LinkOddity.SLOW, usual))
        elif one.duplex == _HALF:
            found.append((one.port, LinkOddity.HALF_DUPLEX, usual))
    return found
