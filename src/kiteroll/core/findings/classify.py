"""One address, several places: is it a duplicate, flapping, or has it moved? Asked in that order."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import duplicate_address, flapping, moved

_PATIENCE = timedelta(minutes=3)
"""For readings that show whether links changed, or whether a move is one; after it that is judged without."""


@dataclass(frozen=True, slots=True)
class NotYet:
    """It is not known before the switches concerned were read again, or `until`."""

    until: datetime
    jumped_at: datetime


def classify_address(view: AddressView) -> Detection | NotYet | None:
    """What the stays of one address say: open ones, and those that ended within the window."""
    if not view.access or len(view.ports) + len(view.jumps) < 2:
        return None
    if all(one.same_device(view.access[0]) for one in view.access):
        return None  # one device with several cables: whichever it uses, it is where it was
    if (twice := duplicate_address.at_once(view)) is not None:
        return twice
    if not flapping.often_enough(view):
        move = moved.detect(view)
        if move is None or moved.confirmed(view):
            return move
        return _too_early(move.last_at, view.now) or move
    steady = flapping.links_steady(view)
    if steady is None:
        if (early := _too_early(view.jumps[-1].at, view.now)) is not None:
            return early
        steady = False
    cause = flapping.cause_by_neighbours(view, steady)
    if steady and cause is None and (twice := duplicate_address.alternating(view)) is not None:
        return twice
    return flapping.detect(view, cause, steady=steady)


def _too_early(jumped_at: datetime, now: datetime) -> NotYet | None:
    until = jumped_at + _PATIENCE
    return NotYet(until, jumped_at) if now < until else None
