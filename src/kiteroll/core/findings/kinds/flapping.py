"""Flapping: an address jumps to and fro between a few access ports."""

from kiteroll.core.findings.address_view import AddressView
from kiteroll.core.findings.evidence import LinkChanged, in_order
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo

INFO = KindInfo(
    kind=FindingKind.FLAPPING,
    thresholds=("flap_moves", "flap_window"),
    goes_on_unseen=True,
    explains=frozenset({FindingKind.MOVED}),
    help=KindHelp(
        title="An address jumps to and fro",
        why="Frames to it go to the wrong port half of the time; connections break and are set up again.",
        evidence="The same address jumps between a few ports several times within minutes. The evidence lists "
        "each jump, and whether links changed in between.",
        action="Look at the likely cause: a loose cable (links changed), a failover pair, roaming, or a device "
        "with two cables. Fix the cause, not the port: resetting a port only hides it.",
        fewer="Add addresses that move by design to the shared addresses, or raise findings.flap_moves.",
    ),
)
_MAX_PORTS = 4
"""More access ports than this in one window is roaming about, not flapping between some."""
_ACCESS_POINT_ADDRESSES = 3
"""Other addresses on a port from which it may be an access point or a switch of its own."""


def often_enough(view: AddressView) -> bool:
    """Whether it jumped often enough, between few enough ports, to be more than a move."""
    return len(view.jumps) >= view.thresholds.flap_moves and 0 < len(view.ports) <= _MAX_PORTS


def links_steady(view: AddressView) -> bool | None:
    """Whether no link changed with the latest jumps; None when that is not known yet, because the
    switches concerned have not been read since.

    A cable that is re-plugged changes links with each jump; a clone's link came up once, before.
    """
    read_at = {one.port: one.read_at for one in view.access}
    seen = [read_at.get(port) for port in view.ports]
    horizon = min((at for at in seen if at is not None), default=None)
    settled = [jump for jump in view.jumps if horizon is not None and jump.at <= horizon]
    if None in seen or len(settled) < view.thresholds.flap_moves:
        return None
    return not any(view.facts(port).changed_since(settled[-2].at) for port in view.ports)


def cause_by_neighbours(view: AddressView, steady: bool) -> Cause | None:
    """The cause, where the other addresses on the ports show it."""
    others = [view.facts(port).others for port in view.ports]
    if len(view.ports) >= 2 and all(len(each) >= _ACCESS_POINT_ADDRESSES for each in others):
        return Cause.ROAMING
    if len(view.ports) == 2 and steady and all(others):
        makers = [{mac >> 24 for mac in each} for each in others]
        if makers[0] & makers[1]:
            return Cause.FAILOVER_PAIR
    return None


def detect(view: AddressView, cause: Cause | None, *, steady: bool) -> Detection:
    """`cause`: what the other addresses show; None leaves it to the links. `steady`: none of them changed
    with the latest jumps."""
    changed = [port for port in view.ports if view.facts(port).changed_since(view.since)]
    links = [LinkChanged(view.facts(port).changed_at or view.since, port) for port in changed]
    jumped = [jump.evidence(view.mac) for jump in view.jumps]
    return Detection(
        kind=FindingKind.FLAPPING,
        severity=Severity.WARNING,
        subject=Subject(mac=view.mac, area=view.area),
        cause=cause or (Cause.LOOSE_CABLE if changed and not steady else Cause.UNCLEAR),
        details=Details(ports=view.ports, count=len(view.jumps)),
        evidence=in_order([*jumped, *links]),
        first_at=view.jumps[0].at,
        last_at=view.jumps[-1].at,
        ports=frozenset(view.ports),
    )
