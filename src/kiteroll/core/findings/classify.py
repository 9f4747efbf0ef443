"""One address, several places: is it a duplicate, flapping, or has it moved? Asked in that order."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import duplicate_address, flapping, moved

_LINKS_PATIENCE = timedelta(minutes=3)
"""For readings that tell whether links changed; after it a flap is judged without."""


@dataclass(frozen=True, slots=True)
class NotYet:
    """It cannot be said before the switches concerned were read again, or `until`."""

    until: datetime


def classify_address(view: AddressView) -> Detection | NotYet | None:
    """What the stays of one address say: open ones, and those that ended within the window."""
    if not view.access or len(view.ports) + len(view.jumps) < 2:
        return None
    if all(one.same_device(view.access[0]) for one in view.access):
        return None  # one device with several cables: whichever it uses, it is where it was
    if (twice := duplicate_address.at_once(view)) is not None:
        return twice
    if not flapping.often_enough(view):
        return moved.detect(view)
    steady = flapping.links_steady(view)
    if steady is None:
        until = view.jumps[-1].at + _LINKS_PATIENCE
        if view.now < until:
            return NotYet(until)
        steady = False
    cause = flapping.cause_by_neighbours(view, steady)
    if steady and cause is None and (twice := duplicate_address.alternating(view)) is not None:
        return twice
    return flapping.detect(view, cause, steady=steady)
