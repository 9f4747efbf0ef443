"""When a message is tried again, when many become one, and when a target has to rest."""

from collections.abc import Sequence
from datetime import timedelta
from typing import TypeVar

from kiteroll.core.model.chunks import chunks

T = TypeVar("T")

FIRST_PAUSE = timedelta(seconds=5)
LONGEST_PAUSE = timedelta(minutes=15)
GIVEN_UP_AFTER = timedelta(hours=24)
ONE_BY_ONE = 5
"""More than so many that wait for one target become one message."""
MOST_IN_DIGEST = 200
AN_HOUR = timedelta(hours=1)
MOST_IN_AN_HOUR = 60
"""Deliveries to one target; beyond, what comes waits and becomes a digest every few minutes, with all there
is: the worst in words, the others counted."""
REST = timedelta(minutes=5)


def pause_after(attempts: int) -> timedelta:
    """Before the next try, after so many that failed; doubled each time."""
    doubled: int = 2 ** min(attempts - 1, 10)
    return min(FIRST_PAUSE * doubled, LONGEST_PAUSE)


def batches(waiting: Sequence[T], delivered_in_an_hour: int) -> list[list[T]]:
    """What waits for one target, in order, as it is to be delivered: one by one, or as digests."""
    if len(waiting) <= ONE_BY_ONE and not has_had_most(delivered_in_an_hour):
        return [[one] for one in waiting]
    return list(chunks(waiting, MOST_IN_DIGEST))


def has_had_most(delivered_in_an_hour: int) -> bool:
    """Whether a target gets one delivery every few minutes by now, with all there is."""
    return delivered_in_an_hour >= MOST_IN_AN_HOUR


def must_rest(delivered_in_an_hour: int, since_last: timedelta | None) -> bool:
    """Whether a target has had enough for now."""
    return has_had_most(delivered_in_an_hour) and since_last is not None and since_last < REST
