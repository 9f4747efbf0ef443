"""When a link changed last, and whether a switch can be believed about it (ifLastChange, RFC 2863)."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.reading import Oper, Port, Reading
from kiteroll.core.model.uptime import CLOCK_JITTER, counted_back, uptime

_STARTING = timedelta(minutes=10)
"""A change within so long of its start is that of the switch, and none of the port."""


@dataclass(frozen=True, slots=True)
class LinkBefore:
    """What was known of a link before a reading."""

    oper: Oper
    since: datetime | None
    """Of the first reading that showed it so."""
    changed_ticks: int | None
    """As the switch was believed."""
    read_at: datetime | None
    """The reading before."""


def believed_ticks(port: Port, taken: Reading, before: LinkBefore | None) -> int | None:
    """ifLastChange of a port; None where the switch has none, or one that readings contradict: some always
    report when they started. Then the readings themselves say when the link changed.

    `before`: None for a port that was never read.
    """
    reported = taken.changed_at(port)
    if reported is None or before is None or before.oper is Oper.UNKNOWN:
        return port.changed_ticks  # a port that was missing for a while did not change for that
    if port.oper is not before.oper:
        earliest = before.read_at
    elif port.changed_ticks == before.changed_ticks:
        earliest = None
    else:
        earliest = before.since
    can_be = earliest is None or reported >= earliest - CLOCK_JITTER
    return port.changed_ticks if can_be else None


def reported_change(
    changed_ticks: int | None, uptime_ticks: int | None, uptime_at: datetime | None
) -> datetime | None:
    """When a link changed last, as the switch itself reports it where it is believed: one that went down and
    came up between two readings shows in nothing else. `changed_ticks`: see `believed_ticks`; `uptime_ticks`
    at `uptime_at`: sysUpTime as last read."""
    if changed_ticks is None or uptime_ticks is None or uptime_at is None:
        return None
    return counted_back(changed_ticks, uptime_ticks, uptime_at)


def seen_change(oper: Oper, before: Oper | None, since: datetime | None) -> datetime | None:
    """When readings showed a link change last. `since`: the first reading that showed it as it is; `before`:
    what it was known to be until then. A port that is read for the first time, or again after it was missing,
    did not change for that."""
    return since if before is not None and before is not oper else None


def unchanged_since(
    seen_since: datetime | None,
    changed_ticks: int | None,
    uptime_ticks: int | None,
    uptime_at: datetime | None,
) -> datetime | None:
    """Since when a link is known to be as it is. None: nothing is known. What the switch reports holds while
    nobody reads it, but not beyond its own start; what readings showed holds beyond that. `seen_since`: the
    first reading that showed it so; for the others see `reported_change`."""
    reported = reported_change(changed_ticks, uptime_ticks, uptime_at)
    if changed_ticks is None or seen_since is None or reported is None:
        return reported or seen_since
    return min(reported, seen_since) if uptime(changed_ticks) <= _STARTING else reported
