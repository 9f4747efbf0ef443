"""What a person must look at."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Answer, Instant, MacText, Model

FindingKind = Literal[
    "moved",
    "flapping",
    "doubled-address",
    "contested-ip",
    "several-ips",
    "loop",
    "address-flood",
    "silent-port",
    "overfull-port",
    "stranger",
    "table-filling",
    "ageing-too-short",
    "switch-restarted",
    "switch-not-read",
]
FindingState = Literal["open", "acknowledged", "cleared"]
Severity = Literal["note", "warning", "serious"]
Person = Annotated[str, Field(min_length=1, max_length=64)]


class Evidence(Answer):
    at: Instant
    text: str


class FindingPlace(Answer):
    switch: str
    port: str


class Finding(Answer):
    """Something a person must look at."""

    id: int
    kind: FindingKind
    severity: Severity
    state: FindingState
    title: str
    cause: str
    """The likely cause; `evidence` is what it rests on."""
    mac: MacText | None
    switch: str | None
    port: str | None
    ip: str | None
    places: list[FindingPlace]
    evidence: list[Evidence]
    count: int
    """Pieces of evidence since it opened first; the latest are in `evidence`."""
    opened: int
    """How often it opened."""
    first_at: Instant
    opened_at: Instant
    last_at: Instant
    """Latest evidence: it is quiet since then."""
    clears_at: Instant | None
    """When it clears by itself, if nothing more comes."""
    cleared_at: Instant | None
    cleared_by: str
    """Empty: by itself."""
    acknowledged_by: str
    note: str
    acknowledged_until: Instant | None
    parts: int
    """Findings that this one explains."""
    part_of: int | None
    """The finding that explains this one."""


class Acknowledgement(Model):
    by: Person
    note: Annotated[str, Field(max_length=4000)] = ""
    until: Instant | None = None
    """None: until it clears."""


class Clearing(Model):
    by: Person


class FindingPage(Answer):
    """What a kind of finding means."""

    kind: FindingKind
    title: str
    why: str
    looks: str
    do: str
    quieten: str
