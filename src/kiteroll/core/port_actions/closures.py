"""Ports that were closed: when each opens again, and when it does not.

A port whose cause is not gone would go round: closed, reopened, breached, closed. So one where the same
breach came back after the timer had opened it a set number of times stays closed until a person opens it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.port_rules import STAYS_CLOSED

REMEMBERED = timedelta(days=1)
"""How long an earlier closing counts."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Closure:
    """A port that Kite Roll closed."""

    port: PortRef
    closed_at: datetime
    breach: str = ""
    """Key of the finding it was closed for; empty: a person closed it for another reason."""
    reopen_at: datetime | None = None
    """None: by a person alone."""
    held: bool = False
    """The breach came back too often."""
    reopened_at: datetime | None = None
    by_timer: bool = False
    """Reopened by the timer."""


@dataclass(frozen=True, slots=True)
class Reopening:
    """When a port that is closed now is to open again."""

    at: datetime | None
    held: bool = False
    came_back: int = 0
    """How often the same breach came back after the timer had reopened it."""


def reopening(
    earlier: Sequence[Closure], breach: str, after: timedelta, times: int, now: datetime
) -> Reopening:
    """Of a port that is closed now, for this breach. `earlier`: its closings before; `after`: as its rule
    says; `times`: how often the timer may open it for the same breach."""
    came_back = sum(
        one.by_timer
        and one.reopened_at is not None
        and one.breach == breach
        and now - one.reopened_at <= REMEMBERED
        for one in earlier
    )
    if after == STAYS_CLOSED:
        return Reopening(None, came_back=came_back)
    if breach and came_back >= times:
        return Reopening(None, held=True, came_back=came_back)
    return Reopening(now + after, came_back=came_back)


def still_to_act(earlier: Sequence[Closure], seen_at: datetime) -> bool:
    """Whether something is to be done for a breach that was seen last then: the port is open, and it was seen
    since that was opened again."""
    return all(one.reopened_at is not None and one.reopened_at < seen_at for one in earlier)


def due(closed: Iterable[Closure], now: datetime) -> list[Closure]:
    """Those that the timer is to open, the longest due first."""
    waiting = [one for one in closed if one.reopened_at is None and one.reopen_at is not None]
    return sorted(
        (one for one in waiting if one.reopen_at is not None and one.reopen_at <= now),
        key=lambda one: (one.reopen_at or now, one.port),
    )
