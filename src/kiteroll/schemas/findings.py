"""Findings: what a person must look at."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel

FindingKind = Literal[
    "moved",
    "moved-together",
    "topology-change",
    "switch-replaced",
    "flapping",
    "doubled-address",
    "contested-ip",
    "several-ips",
    "loop",
    "address-flood",
    "addresses-left-out",
    "silent-port",
    "overfull-port",
    "stranger",
    "out-of-place",
    "unexpected-vlan",
    "barred-address",
    "enrolment-expires",
    "uplink-claimed",
    "table-filling",
    "ageing-too-short",
    "ageing-too-long",
    "switch-restarted",
    "switch-not-read",
    "switches-not-read",
    "site-not-read",
    "readings-dropped",
    "readings-refused",
    "worker-failed",
    "database-away",
    "disk-filling",
    "certificate-ends",
    "alerts-not-delivered",
    "port-closed",
    "closing-stopped",
]
FindingState = Literal["open", "acknowledged", "cleared"]
Severity = Literal["note", "warning", "serious"]


class Evidence(ResponseModel):
    type: str
    """What sort it is; see docs/findings.md."""
    at: Instant
    text: str


class FindingPort(ResponseModel):
    switch: str
    port: str


class Finding(ResponseModel):
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
    area: str | None
    """Of an address that is judged in each area by itself; null: that of all sites that name none."""
    ports: list[FindingPort]
    evidence: list[Evidence]
    count: int
    """Pieces of evidence since it opened first; the latest are in `evidence`."""
    times_opened: int
    """How often it opened."""
    first_at: Instant
    opened_at: Instant
    last_at: Instant
    """Latest evidence: it is quiet since then."""
    may_be_over_at: Instant | None
    """From then on a condition may be over, unless it was found to be so again; null for what happened."""
    clears_at: Instant | None
    """When it clears by itself, if nothing more comes; later where its switches are not read."""
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


class Acknowledgement(RequestModel):
    note: Annotated[str, Field(max_length=4000)] = ""
    until: Instant | None = None
    """None: until it clears."""


FINDINGS_AT_ONCE = 1000
_Numbers = Annotated[list[int], Field(min_length=1, max_length=FINDINGS_AT_ONCE)]


class FindingsToAcknowledge(Acknowledgement):
    findings: _Numbers


class FindingsToClear(RequestModel):
    findings: _Numbers


class FindingsChanged(ResponseModel):
    changed: list[int]
    over: list[int]
    """Cleared before, and left as they are."""


class FindingKindHelp(ResponseModel):
    """What a kind of finding means."""

    kind: FindingKind
    title: str
    why: str
    """Why it matters."""
    evidence: str
    """What it looks like, and what it rests on."""
    action: str
    fewer: str
    """How to get fewer of them."""
    thresholds: list[str]
    """Settings it is judged by, with their values."""
