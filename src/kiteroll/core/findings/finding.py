"""Findings as values: what a rule detects, and what is kept of it."""

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.findings.evidence import Evidence
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef


class Severity(StrEnum):
    """From the least to the most serious."""

    NOTE = "note"
    """Worth knowing; nothing is broken."""
    WARNING = "warning"
    """Something will go wrong, or already does for a few."""
    SERIOUS = "serious"
    """Traffic is lost or goes astray now."""


class FindingKind(StrEnum):
    """Stable ids. Each is one file of `kiteroll.core.findings.kinds`."""

    MOVED = "moved"
    MOVED_TOGETHER = "moved-together"
    TOPOLOGY_CHANGE = "topology-change"
    SWITCH_REPLACED = "switch-replaced"
    FLAPPING = "flapping"
    DUPLICATE = "doubled-address"
    IP_CONFLICT = "contested-ip"
    MULTIPLE_IPS = "several-ips"
    LOOP = "loop"
    FLOOD = "address-flood"
    LEFT_OUT = "addresses-left-out"
    SILENT_PORT = "silent-port"
    OVERFULL = "overfull-port"
    STRANGER = "stranger"
    OUT_OF_PLACE = "out-of-place"
    OTHER_VLAN = "unexpected-vlan"
    BARRED = "barred-address"
    EXPIRING = "enrolment-expires"
    UPLINK_CLAIMED = "uplink-claimed"
    TABLE_FILLING = "table-filling"
    AGEING_TOO_SHORT = "ageing-too-short"
    AGEING_TOO_LONG = "ageing-too-long"
    RESTARTED = "switch-restarted"
    NOT_READ = "switch-not-read"
    SWITCHES_LATE = "switches-not-read"
    SITE_NOT_READ = "site-not-read"
    READINGS_DROPPED = "readings-dropped"
    READINGS_REFUSED = "readings-refused"
    WORKER_FAILED = "worker-failed"
    DATABASE_AWAY = "database-away"
    DISK_FILLING = "disk-filling"
    CERTIFICATE_ENDS = "certificate-ends"
    ALERTS_FAIL = "alerts-not-delivered"
    PORT_CLOSED = "port-closed"
    CLOSING_STOPPED = "closing-stopped"


class Cause(StrEnum):
    """The likely cause. `kiteroll.wording.findings` says each in a sentence."""

    REPLUGGED = "re-plugged"
    CARRIED = "carried elsewhere"
    CARRIER_MOVED = "what they are connected to"
    LINK_BETWEEN_SWITCHES = "link between switches"
    OTHER_TREE = "another spanning tree"
    OTHER_DEVICE = "another device"
    PORTS_RENAMED = "ports renamed"
    CLONED = "cloned address"
    LOOSE_CABLE = "loose cable"
    ROAMING = "roaming"
    FAILOVER_PAIR = "failover pair"
    UNCLEAR = "unclear"
    SAME_IP_TWICE = "same IP on two devices"
    SECOND_DEVICE_OR_IP = "second device or IP"
    SECOND_CABLE = "second cable"
    INVENTED_ADDRESSES = "invented addresses"
    RECORDS_FULL = "records full"
    SILENT_DEVICE = "silent device"
    SEVERAL_DEVICES = "several devices"
    BRIDGE_BEHIND = "bridge behind the port"
    NOT_ENROLLED = "not enrolled"
    ENROLLED_ELSEWHERE = "enrolled elsewhere"
    NOT_EXPECTED_HERE = "VLAN not expected"
    BARRED = "barred"
    ENDS_SOON = "ends soon"
    FORGED_OR_NEW_SWITCH = "forged, or a new switch"
    TABLE_TOO_SMALL = "table too small"
    READ_TOO_SELDOM = "read too seldom"
    NEVER_FORGETS = "never forgets"
    RESTART = "restart"
    READINGS_FAIL = "readings fail"
    COMMON = "something in common"
    ERROR = "an error"
    RECORDS_GROW = "records grow"
    NOT_RENEWED = "not renewed"
    CLOSED_HERE = "closed here"
    CAME_BACK = "came back"
    TOO_MANY = "too many"
    NO_ROOM = "no room"
    NOT_ITS_OWN = "not its own"


class State(StrEnum):
    OPEN = "open"
    ACKNOWLEDGED = "acknowledged"
    CLEARED = "cleared"


@dataclass(frozen=True, slots=True, kw_only=True)
class Subject:
    """What a finding is about; together with its kind, what makes it the same finding again."""

    mac: MacAddress | None = None
    switch: str = ""
    port: str = ""
    ip: str = ""
    area: str = ""
    """Of an address that is judged in each area by itself; empty: the one of all sites that name none."""
    key: str = field(init=False, compare=False, repr=False)
    """Made once: tens of thousands of conditions are looked up by it every few seconds."""

    def __post_init__(self) -> None:
        parts = [str(self.mac or ""), self.switch, self.port, self.ip]
        object.__setattr__(self, "key", "|".join([*parts, self.area] if self.area else parts))


@dataclass(frozen=True, slots=True, kw_only=True)
class Details:
    """Numbers and names that title and cause are made of; those a kind does not use stay empty."""

    ports: tuple[PortRef, ...] = ()
    """In order: where it was before comes before where it is now."""
    macs: tuple[MacAddress, ...] = ()
    ips: tuple[str, ...] = ()
    """Each with its host names, if it has any."""
    count: int = 0
    limit: int | None = None
    vlan: int | None = None
    alias: str = ""
    link_changed: bool = False
    """Whether a link changed with it."""
    health: str = ""
    error: str = ""
    reason: str = ""
    """What an operator wrote about it."""
    levels: tuple[str, ...] = ()
    """Levels of rules: where somebody is enrolled."""
    interval: timedelta | None = None
    ageing: timedelta | None = None
    bridge: str = ""
    """Name of one that is not in the inventory, and behind the port."""
    link_up: bool | None = None
    """Of the link to a switch that does not answer, at the one of `ports`; None: not known."""
    behind: str = ""
    """Of a switch that does not answer: one on the way to it that does not answer either."""


def key_of(kind: FindingKind, subject: Subject) -> str:
    """What makes a finding the same one again."""
    return f"{kind.value}|{subject.key}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Detection:
    """A rule says: this is so, as of `last_at`."""

    kind: FindingKind
    severity: Severity
    subject: Subject
    cause: Cause
    details: Details = field(default_factory=Details)
    evidence: tuple[Evidence, ...] = ()
    first_at: datetime
    last_at: datetime
    ports: frozenset[PortRef] = frozenset()
    """Ports it concerns: what groups it with others."""

    @property
    def key(self) -> str:
        """Of the finding it belongs to."""
        return key_of(self.kind, self.subject)


_TOLD_WITHIN = timedelta(minutes=5)
"""What makes a finding is seen within about this time."""
MAX_NAMED = 200
"""Addresses a finding names at most: those whose own findings it explains."""
MAX_EVIDENCE = 40
"""Pieces of evidence kept of one finding, the latest."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    kind: FindingKind
    subject: Subject
    severity: Severity
    cause: Cause
    details: Details = field(default_factory=Details)
    state: State
    evidence: tuple[Evidence, ...]
    count: int
    """Pieces of evidence since it opened first."""
    times_opened: int = 1
    first_at: datetime
    """When it opened first."""
    opened_at: datetime
    """When it opened last."""
    last_at: datetime
    """Latest evidence: quiet since then."""
    goes_on: bool = False
    """Of how something is: the latest look, at `last_at`, found it to be so still. It need not be stored, nor
    told, that the next one does as well."""
    cleared_at: datetime | None = None
    cleared_by: str = ""
    """Empty: by itself."""
    acknowledged_by: str = ""
    note: str = ""
    acknowledged_until: datetime | None = None
    ports: frozenset[PortRef] = field(default=frozenset())
    part_of: str = ""
    """Key of the finding that explains this one."""

    def as_of(self, at: datetime, opened_at: datetime, later: int) -> "Finding":
        """As it was at an instant at which it was open since `opened_at`, as far as is kept: its words and
        severity are the latest, and who had acknowledged it then is not known. `later`: how often it opened
        since."""
        evidence = tuple(one for one in self.evidence if one.at <= at)
        return replace(
            self,
            state=State.OPEN,
            evidence=evidence,
            count=len(evidence),
            times_opened=self.times_opened - later,
            opened_at=opened_at,
            last_at=max((opened_at, *(one.at for one in evidence))),
            goes_on=False,
            cleared_at=None,
            cleared_by="",
            acknowledged_by="",
            note="",
            acknowledged_until=None,
        )

    @property
    def stands_open(self) -> bool:
        """Whether it is open, and no other one explains it."""
        return self.state is State.OPEN and not self.part_of

    @property
    def began_at(self) -> datetime:
        """When it began this time, as far as is kept."""
        return self.first_at if self.times_opened == 1 else self.opened_at - _TOLD_WITHIN

    @property
    def switches(self) -> frozenset[str]:
        """Names of those it is about."""
        return frozenset({switch for switch, _ in self.ports} | {self.subject.switch} - {""})

    @property
    def key(self) -> str:
        return key_of(self.kind, self.subject)
