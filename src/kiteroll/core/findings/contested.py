"""Addresses that a live finding says are here and there: no home of theirs is more than doubtful."""

from collections.abc import Iterable

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.mac import MacAddress

_JUMPING = frozenset({FindingKind.LOOP, FindingKind.DUPLICATE, FindingKind.FLAPPING})


def contested_addresses(live: Iterable[Finding]) -> frozenset[MacAddress]:
    """`live`: findings that are not cleared."""
    found: set[MacAddress] = set()
    for one in live:
        if one.kind in _JUMPING:
            found.update(one.details.macs)
            if one.subject.mac is not None:
                found.add(one.subject.mac)
    return frozenset(found)
