"""Findings as values: what a rule says, and what is kept of it."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.mac import MacAddress


class Severity(StrEnum):
    NOTE = "note"
    """Worth knowing; nothing is broken."""
    WARNING = "warning"
    """Something will go wrong, or already does for a few."""
    SERIOUS = "serious"
    """Traffic is lost or goes astray now."""


class Kind(StrEnum):
    """Stable ids. Each has a help page (`kiteroll.core.findings.pages`)."""

    MOVED = "moved"
    FLAPPING = "flapping"
    DOUBLED = "doubled-address"
    CONTESTED_IP = "contested-ip"
    SEVERAL_IPS = "several-ips"
    LOOP = "loop"
    FLOOD = "address-flood"
    SILENT_PORT = "silent-port"
    OVERFULL = "overfull-port"
    STRANGER = "stranger"
    FILLING = "table-filling"
    AGEING = "ageing-too-short"
    RESTARTED = "switch-restarted"
    UNREAD = "switch-not-read"


class State(StrEnum):
    OPEN = "open"
    ACKNOWLEDGED = "acknowledged"
    CLEARED = "cleared"


@dataclass(frozen=True, slots=True, order=True)
class Evidence:
    at: datetime
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Subject:
    """What a finding is about; together with its kind, what makes it the same finding again."""

    mac: MacAddress | None = None
    switch: str = ""
    port: str = ""
    ip: str = ""

    @property
    def key(self) -> str:
        return "|".join((str(self.mac or ""), self.switch, self.port, self.ip))

    def __str__(self) -> str:
        place = f"{self.switch} port {self.port}" if self.port else self.switch
        return " ".join(part for part in (str(self.mac or ""), self.ip, place) if part)


def key_of(kind: Kind, subject: Subject) -> str:
    """What makes a finding the same one again."""
    return f"{kind.value}|{subject.key}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sign:
    """A rule says: this is so, as of `last_at`."""

    kind: Kind
    severity: Severity
    subject: Subject
    title: str
    """One sentence."""
    cause: str = ""
    """The likely cause, in a few words; the evidence says what it rests on."""
    evidence: tuple[Evidence, ...] = ()
    first_at: datetime
    last_at: datetime
    places: frozenset[tuple[str, str]] = frozenset()
    """(switch, port) it concerns: what groups it with others."""

    @property
    def key(self) -> str:
        """Of the finding it is a sign of."""
        return key_of(self.kind, self.subject)


@dataclass(frozen=True, slots=True, kw_only=True)
class Thresholds:
    """When something counts. Settable; the defaults suit access networks of offices and plants."""

    jumps: int = 3
    """Jumps of one address within `window` that make it flap."""
    window: timedelta = timedelta(minutes=10)
    storm_addresses: int = 5
    """Addresses that jump between the same two ports that make a loop likely."""
    storm_window: timedelta = timedelta(minutes=2)
    flood_addresses: int = 50
    """New addresses on one port within `storm_window`."""
    silent_after: timedelta = timedelta(days=1)
    """A port that is up and learned nothing for this long is silent."""
    ip_window: timedelta = timedelta(hours=1)
    """In which an IP address that goes to and fro between addresses is contested: caches of routers
    are read every few minutes."""
    ips_after: timedelta = timedelta(hours=6)
    """An address must answer with several IPs for this long: routers keep what is over for up to four."""
    rule_after: timedelta = timedelta(seconds=20)
    """A rule of a port must be broken for this long: where a new port leads to is known some seconds
    after its first reading."""
    table_share: float = 0.9
    quiet: timedelta = timedelta(minutes=15)
    """A finding clears after this long without new evidence."""
    quiet_standing: timedelta = timedelta(minutes=2)
    """The same for conditions that are either so or not."""

    def quiet_time(self, kind: Kind) -> timedelta:
        if kind is Kind.LOOP:
            # Addresses find their ports again one by one: that is still part of it.
            return 2 * self.quiet
        return self.quiet_standing if kind in STANDING else self.quiet


STANDING = frozenset(
    {
        *(Kind.SEVERAL_IPS, Kind.SILENT_PORT, Kind.OVERFULL, Kind.STRANGER),
        *(Kind.FILLING, Kind.AGEING, Kind.UNREAD),
    }
)
"""Kinds that say how something is, not what happened: they are over as soon as it is not so."""
MOST_EVIDENCE = 40
"""Pieces of evidence kept of one finding, the latest."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    kind: Kind
    subject: Subject
    severity: Severity
    title: str
    cause: str
    state: State
    evidence: tuple[Evidence, ...]
    count: int
    """Pieces of evidence since it opened first."""
    opened: int = 1
    """How often it opened."""
    first_at: datetime
    """When it opened first."""
    opened_at: datetime
    """When it opened last."""
    last_at: datetime
    """Latest evidence: quiet since then."""
    cleared_at: datetime | None = None
    cleared_by: str = ""
    """Empty: by itself."""
    acknowledged_by: str = ""
    note: str = ""
    acknowledged_until: datetime | None = None
    places: frozenset[tuple[str, str]] = field(default=frozenset())
    part_of: str = ""
    """Key of the finding that explains this one."""

    @property
    def key(self) -> str:
        return key_of(self.kind, self.subject)
