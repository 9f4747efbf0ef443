"""Ports that are not used as they could be: unused for long, up and silent, or with a slow link."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

_SLOW_BPS = 10_000_000
_HALF = "half"


class PoorUse(StrEnum):
    UNUSED = "unused"
    SILENT = "silent"
    """Up, and nobody is heard there."""
    SLOW = "slow"
    """10 Mb/s."""
    HALF_DUPLEX = "half duplex"
    """EtherLike-MIB."""


@dataclass(frozen=True, slots=True)
class Unused:
    """No link, and nobody there."""

    since: datetime
    ever_used: bool
    unread_until: datetime | None
    """It is known by readings alone, and its switch was not read for a while until then."""


@dataclass(frozen=True, slots=True)
class Link:
    """A port that is up."""

    port: str
    speed_bps: int | None
    duplex: str


@dataclass(frozen=True, slots=True)
class OddLink:
    use: PoorUse
    link: Link
    usual_bps: int
    """The speed that most ports of its switch run at; 0: unknown."""


def unused(
    link_since: datetime,
    last_used: datetime | None,
    read_since: datetime | None,
    before: datetime,
    *,
    reported: bool,
) -> Unused | None:
    """Of a port without link where nobody is: whether it has been so since `before`. `last_used`: when
    somebody was there last, None: never; `read_since`: its switch is read without pause since then, None: it
    never paused; `reported`: the switch itself says since when the link is as it is."""
    since = link_since if last_used is None else max(link_since, last_used)
    if since > before:
        return None
    seen_all = reported or read_since is None or since >= read_since
    return Unused(since, last_used is not None, None if seen_all else read_since)


def odd_links(links: Sequence[Link]) -> list[OddLink]:
    """Ports of one switch that run at 10 Mb/s or half duplex. No standard object says what a port could do;
    those beside it show it: where most run no faster, nothing is odd about 10 Mb/s."""
    speeds = Counter(one.speed_bps for one in links if one.speed_bps)
    usual = max(speeds, key=lambda speed: (speeds[speed], speed), default=0) or 0
    found = []
    for one in links:
        if one.speed_bps and one.speed_bps <= _SLOW_BPS < usual:
            found.append(OddLink(PoorUse.SLOW, one, usual))
        elif one.duplex == _HALF:
            found.append(OddLink(PoorUse.HALF_DUPLEX, one, usual))
    return found
