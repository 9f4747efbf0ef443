"""Whether a switch can be believed when its link changed last (ifLastChange, RFC 2863)."""

from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.model.reading import Oper, Port, Reading
from kiteroll.core.model.uptime import CLOCK_JITTER


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
