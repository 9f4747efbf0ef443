"""Moved: the home went from one access port to another, and the first no longer has the address.

However long it was away in between, and however seldom the switches are read: what counts is that it came up
at the new port lately.
"""

from datetime import datetime, timedelta

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.evidence import Evidence, Learned, Left, LinkChanged, in_order
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.stay import Ending
from kiteroll.core.topology.sighting import Sighting

INFO = KindInfo(
    kind=FindingKind.MOVED,
    thresholds=("flap_window", "moved_memory"),
    help=KindHelp(
        title="An endpoint moved",
        why="Somebody looks for it at its old port, and the rules of that port no longer apply to it.",
        evidence="The address is learned at another access port, and the old one no longer has it. On the same "
        "switch it was re-plugged; on another one it was carried there. A link that changed before says so.",
        action="Nothing, if it was meant to move. Otherwise ask who moved it.",
        fewer="It is a note and clears by itself. Acknowledge it for endpoints that travel.",
    ),
)


_NONE = timedelta(0)
_READINGS = 3
"""Of the switches concerned, within which a move is reported: the old one may be read long after the new one."""


def detect(view: AddressView) -> Detection | None:
    if not view.access:
        return None
    here = view.access[-1]
    origin = _place_before(here, view)
    if origin is None or origin.port == here.port or not here.present:
        return None
    interval = max((one.interval for one in (here, origin) if one.interval is not None), default=_NONE)
    lately = max(view.thresholds.flap_window, _READINGS * interval)
    if view.now - here.stay.began_at > lately:
        return None
    left_at = origin.stay.ended_at or origin.stay.last_seen_at
    if origin.present:
        if not origin.outdated(view.now):
            return None
        left_at = origin.read_at  # nothing has been heard of its switch since, nor of who was there
    if left_at is None or view.now - left_at > view.thresholds.moved_memory:
        return None
    link_changed_at = view.facts(origin.port).changed_at
    link_changed = link_changed_at is not None and link_changed_at >= view.since
    same_switch = origin.stay.place.switch == here.stay.place.switch
    unplugged = link_changed or origin.stay.ending is Ending.PORT_DOWN or origin.present
    if not unplugged and not same_switch and not view.joined(origin.port[0], here.port[0]):
        # How the two are connected is not known: one of the ports may be the way from the one to the other.
        return None
    evidence: list[Evidence] = [
        Left(left_at, origin.stay.place),
        Learned(here.stay.began_at, here.stay.place),
    ]
    if link_changed_at is not None and link_changed:
        evidence.append(LinkChanged(link_changed_at, origin.port))
    return Detection(
        kind=FindingKind.MOVED,
        severity=Severity.NOTE,
        subject=Subject(mac=view.mac, area=view.area),
        cause=Cause.REPLUGGED if same_switch else Cause.CARRIED,
        details=Details(ports=(origin.port, here.port), link_changed=link_changed),
        evidence=in_order(evidence),
        first_at=min(left_at, here.stay.began_at),
        last_at=here.stay.began_at,
        ports=frozenset({origin.port, here.port}),
    )


def confirmed(view: AddressView) -> bool:
    """Whether it is sure that what was detected is a move: a link went down where it was, or its switches were
    read again and it is still here only. The first frame of a second device with its address looks like a
    move as well."""
    here = view.access[-1]
    origin = _place_before(here, view)
    if origin is None:
        return False
    return (
        origin.stay.ending is Ending.PORT_DOWN
        or view.facts(origin.port).changed_since(view.since)
        or all(one.read_at is not None and one.read_at > here.stay.began_at for one in (here, origin))
    )


def _place_before(here: Sighting, view: AddressView) -> Sighting | None:
    """Where it was last, before it came to be here; the same port where it was only away for a while."""
    began = here.stay.began_at
    before = [
        one
        for one in view.access
        if one.stay.began_at < began and (one.port != here.port or _left_at(one, view.now) <= began)
    ]
    return max(before, key=lambda one: (_left_at(one, view.now), one.stay.began_at), default=None)


def _left_at(one: Sighting, now: datetime) -> datetime:
    """Until when it was there; it still is: until now."""
    return one.stay.ended_at or one.stay.last_seen_at or now
