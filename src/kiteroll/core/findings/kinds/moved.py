"""Moved: the home went from one access port to another, and the first no longer has the address."""

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.evidence import Evidence, Learned, Left, LinkChanged, in_order
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo

INFO = KindInfo(
    kind=FindingKind.MOVED,
    thresholds=("flap_window",),
    help=KindHelp(
        title="An endpoint moved",
        why="Somebody looks for it at its old port, and the rules of that port no longer apply to it.",
        evidence="The address is learned at another access port, and the old one no longer has it. On the same "
        "switch it was re-plugged; on another one it was carried there. A link that changed before says so.",
        action="Nothing, if it was meant to move. Otherwise ask who moved it.",
        fewer="It is a note and clears by itself. Acknowledge it for endpoints that travel.",
    ),
)


def detect(view: AddressView) -> Detection | None:
    if not view.access:
        return None
    here = view.access[-1]
    before = [one for one in view.access if one.port != here.port and one.stay.began_at < here.stay.began_at]
    if not before or not here.present or here.stay.began_at < view.since:
        return None
    origin = before[-1]
    left_at = origin.stay.ended_at or origin.stay.last_seen_at
    if origin.present and origin.outdated(view.now):
        left_at = max(
            origin.read_at or view.since, view.since
        )  # its switch is gone, and so is whoever was there
    elif origin.present:
        return None
    if left_at is None or left_at < view.since:
        return None
    evidence: list[Evidence] = [
        Left(left_at, origin.stay.place),
        Learned(here.stay.began_at, here.stay.place),
    ]
    changed_at = view.facts(origin.port).changed_at
    link_changed = changed_at is not None and changed_at >= view.since
    if changed_at is not None and link_changed:
        evidence.append(LinkChanged(changed_at, origin.port))
    same_switch = origin.stay.place.switch == here.stay.place.switch
    return Detection(
        kind=FindingKind.MOVED,
        severity=Severity.NOTE,
        subject=Subject(mac=view.mac),
        cause=Cause.REPLUGGED if same_switch else Cause.CARRIED,
        details=Details(ports=(origin.port, here.port), link_changed=link_changed),
        evidence=in_order(evidence),
        first_at=min(left_at, here.stay.began_at),
        last_at=here.stay.began_at,
        ports=frozenset({origin.port, here.port}),
    )
