"""Addresses and ports that live findings make uncertain."""

from collections.abc import Collection, Iterable

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.contested import Contested

_JUMPING = frozenset({FindingKind.LOOP, FindingKind.DUPLICATE, FindingKind.FLAPPING})


def ends_of_loops(live: Iterable[Finding]) -> frozenset[PortRef]:
    """Ports that the loops of the `live` findings pull addresses to."""
    return frozenset(port for one in live if one.kind is FindingKind.LOOP for port in one.details.ports)


def contested_by(live: Collection[Finding]) -> Contested:
    """`live`: findings that are not cleared."""
    macs: set[tuple[str, MacAddress]] = set()
    for one in live:
        if one.kind not in _JUMPING:
            continue
        area = one.subject.area
        macs.update((area, mac) for mac in one.details.macs)
        if one.subject.mac is not None:
            macs.add((area, one.subject.mac))
    return Contested(frozenset(macs), ends_of_loops(live))
