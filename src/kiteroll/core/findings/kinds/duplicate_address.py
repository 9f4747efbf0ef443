"""Duplicate address: two devices answer with the same one.

It is present at two access places for longer than an entry lingers after a move, or it keeps being
learned at two ports whose links never changed meanwhile.
"""

from collections import Counter
from datetime import datetime

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.evidence import Evidence, Learned, LinkSteady, StillAtBoth, in_order
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo

INFO = KindInfo(
    kind=FindingKind.DUPLICATE,
    thresholds=("flap_moves", "flap_window"),
    goes_on_unseen=True,
    explains=frozenset({FindingKind.MOVED, FindingKind.FLAPPING}),
    help=KindHelp(
        title="Two devices have the same address",
        why="Each gets part of the other's traffic. Neither works well, and both seem to work at times.",
        evidence="The address is present at two access ports for longer than an entry lingers after a move, or "
        "it keeps being learned at both while neither link changes.",
        action="Go to both ports. One of the two is a clone, a copied virtual machine, or was given its address "
        "by hand. Change it there.",
        fewer="If both are meant to answer with it (virtual router, cluster), add it to the shared addresses.",
    ),
)


def at_once(view: AddressView) -> Detection | None:
    """Present at two places, beyond the ageing time."""
    if view.at_once is None:
        return None
    at = max(one.stay.resumed_at for one in view.at_once)
    seen_at = max(one.read_at or at for one in view.at_once)
    learned = [Learned(one.stay.resumed_at, one.stay.place) for one in view.at_once]
    return _detection(view, [*learned, StillAtBoth(seen_at)], at, seen_at)


def alternating(view: AddressView) -> Detection | None:
    """Learned at the same ports again and again, or present at both while the way to it alternates; to be
    asked only of an address that jumps between steady ports for no other reason."""
    begins = Counter(one.port for one in view.access if one.stay.began_at >= view.since)
    often = [port for port, count in begins.items() if count >= 2]
    present = {one.port for one in view.access if one.present}
    if len(often) < 2 and not (len(view.ports) == 2 and (often or present >= set(view.ports))):
        return None
    jumped: list[Evidence] = [jump.evidence(view.mac) for jump in view.jumps]
    return _detection(view, jumped, view.jumps[0].at, view.jumps[-1].at)


def _detection(
    view: AddressView, evidence: list[Evidence], first_at: datetime, last_at: datetime
) -> Detection:
    steady = [
        LinkSteady(since, port) for port in view.ports if (since := view.facts(port).steady_since) is not None
    ]
    return Detection(
        kind=FindingKind.DUPLICATE,
        severity=Severity.SERIOUS,
        subject=Subject(mac=view.mac, area=view.area),
        cause=Cause.CLONED,
        details=Details(ports=view.ports),
        evidence=in_order([*evidence, *steady]),
        first_at=first_at,
        last_at=last_at,
        ports=frozenset(view.ports),
    )
