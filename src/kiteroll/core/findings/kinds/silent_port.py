"""Silent port: its link is up, and no address has been learned for a day or as set."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import Evidence, NoAddress, WatchedSince
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.core.topology.roles import Topology

INFO = KindInfo(
    kind=FindingKind.SILENT_PORT,
    thresholds=("silent_after",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="A port that is up and silent",
        why="Something is plugged in and sends nothing: it may have crashed, be in the wrong VLAN, or be forgotten.",
        evidence="The link is up for a day (or as set) and no address has been learned. Only time in which the switch "
        "was read counts: after a pause it begins anew.",
        action="Look at the label and at who was there last. Ping the device, check its VLAN, or go there.",
        fewer="Raise findings.silent_after, or acknowledge it for ports that sleep.",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class PortActivity:
    """A port, and when an address was learned there last."""

    switch: str
    port: str
    alias: str = ""
    up_since: datetime | None
    """When its link came up; None while it is down, switched off, a bundle's member or not bridged."""
    present: int = 0
    last_seen_at: datetime | None = None
    """When an address was last there; None: never."""
    read_since: datetime | None = None
    """Since when its switch has been read without a gap in which an address could come and go unseen; None:
    none is known."""
    in_table: int | None = None
    """Addresses in the table of its switch; None: not known."""

    @property
    def ref(self) -> PortRef:
        return (self.switch, self.port)

    @property
    def empty_since(self) -> datetime | None:
        """Since when it is up and readings show no address; None where it is not up."""
        return None if self.up_since is None else max(self.up_since, self.last_seen_at or self.up_since)


def up_since(
    since: datetime | None, oper: Oper, *, admin_up: bool, bridged: bool, bundled: bool
) -> datetime | None:
    """When the link of a port that can carry endpoints came up; None for one that is down, switched off,
    not bridged or a bundle's member. `since`: when `oper` was first so."""
    return since if oper is Oper.UP and admin_up and bridged and not bundled else None


def silent_since(port: PortActivity, topology: Topology, now: datetime, after: timedelta) -> datetime | None:
    """Since when it is silent; None when it is not. The one decision, for lists and findings."""
    role = topology.role(port.ref)
    empty_since = port.empty_since
    if empty_since is None or port.present or role.is_uplink or role.beyond:
        return None  # a bridge that announces itself is there, even where spanning tree keeps all else away
    if port.in_table == 0:
        return None  # a switch that shows nobody keeps its table from us, or has just started
    since = max(empty_since, port.read_since or empty_since)
    return since if now - since >= after else None


def detect(
    port: PortActivity,
    topology: Topology,
    thresholds: Thresholds,
    now: datetime,
    loops: Sequence[tuple[datetime, datetime]] = (),
    *,
    known: bool = False,
) -> Detection | None:
    """`loops`: when each that is not cleared began, and when it showed last. Who fell silent while one lasted was
    pulled away, and has not been silent before it was over. `known`: it is reported already; that readings
    paused does not end that."""
    if known:
        port = replace(port, read_since=None)
    since = silent_since(port, topology, now, thresholds.silent_after)
    if since is None:
        return None
    if any(began <= since and now - shown < thresholds.silent_after for began, shown in loops):
        return None
    empty_since = port.empty_since or since
    evidence: list[Evidence] = [NoAddress(empty_since, ever=port.last_seen_at is not None)]
    if empty_since < since:
        evidence.append(WatchedSince(since))
    return Detection(
        kind=FindingKind.SILENT_PORT,
        severity=Severity.NOTE,
        subject=Subject(switch=port.switch, port=port.port),
        cause=Cause.SILENT_DEVICE,
        details=Details(ports=(port.ref,), alias=port.alias),
        evidence=tuple(evidence),
        first_at=since,
        last_at=now,
        ports=frozenset({port.ref}),
    )
