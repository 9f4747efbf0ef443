"""How long a finding must stand before it is sent: until then another may turn out to explain it."""

from collections.abc import Collection
from datetime import timedelta

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.model.port_ref import PortRef

SETTLES_AFTER = timedelta(seconds=3)
_READINGS = 3
"""Within which addresses that come back show that they go round in a loop, or that paths changed."""
_AT_MOST = timedelta(minutes=3)
_NOT_PUT_OFF = {FindingKind.FLOOD, FindingKind.TABLE_FILLING}
"""They may be an attack, and a loop rarely looks like it."""
_OF_A_LOOP = KINDS[FindingKind.LOOP].explains - _NOT_PUT_OFF
"""Kinds that a loop explains: addresses that go to other ports, and what they fill there."""


def settles_after(kind: FindingKind, interval: timedelta) -> timedelta:
    """`interval`: between two readings of the switches it is about, the longest."""
    if kind is FindingKind.NOT_READ:  # by then those on the way to it were asked as well
        return max(SETTLES_AFTER, min(interval, _AT_MOST))
    if kind not in _OF_A_LOOP:
        return SETTLES_AFTER
    return max(SETTLES_AFTER, min(_READINGS * interval, _AT_MOST))


def is_at_loop(finding: Finding, ends: Collection[PortRef]) -> bool:
    """Whether a port has too many that is one of those `ends` of loops. The loop is sent itself; if the port
    still has too many when that is over, it is sent then."""
    return finding.kind is FindingKind.OVERFULL and not finding.ports.isdisjoint(ends)
