"""One address, several places: is it a duplicate, flapping, or has it moved? Asked in that order."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import duplicate_address, flapping, moved
from kiteroll.core.model.mac import MacAddress

_VIRTUAL_ROUTERS = frozenset({0x00005E0001, 0x00005E0002})
"""First five octets of virtual router addresses, IPv4 and IPv6 (RFC 9568 section 7.3)."""
_LINKS_PATIENCE = timedelta(minutes=3)
"""For readings that tell whether links changed; after it a flap is judged without."""


@dataclass(frozen=True, slots=True)
class NotYet:
    """It cannot be said before the switches concerned were read again, or `until`."""

    until: datetime


def is_shared(mac: MacAddress, prefixes: Collection[str]) -> bool:
    """Whether several devices answer with it by design: virtual routers, and the operator's list of
    addresses and prefixes, as hex digits."""
    if mac >> 8 in _VIRTUAL_ROUTERS:
        return True
    digits = mac.digits
    return any(digits.startswith(prefix) for prefix in prefixes)


def classify_address(view: AddressView) -> Detection | NotYet | None:
    """What the stays of one address say: open ones, and those that ended within the window."""
    if not view.access or len(view.ports) + len(view.jumps) < 2:
        return None
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
