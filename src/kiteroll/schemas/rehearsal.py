"""Rehearsals: rules over the recorded past."""

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.findings import FindingKind
from kiteroll.schemas.rules import MAX_CHANGES, OnBreach, RuleChange
from kiteroll.schemas.types import SwitchName


class NewRehearsal(RequestModel):
    """Rules to rehearse: those in force, with changes, or a rules file instead of them."""

    changes: Annotated[list[RuleChange], Field(max_length=MAX_CHANGES)] = Field(default_factory=list)
    file: Annotated[str, Field(max_length=16 << 20)] | None = None
    """Rules as TOML; null: those in force."""
    since: Instant | None = None
    """30 days back, unless given."""
    until: Instant | None = None
    site: str | None = None
    switch: SwitchName | None = None
    group: str | None = None


class RehearsedBreach(ResponseModel):
    """What would have been a finding."""

    kind: FindingKind
    switch: str
    port: str
    ports: int
    """How many ports it concerns; the first is named."""
    mac: MacText | None
    vlan: int | None
    began_at: Instant
    ended_at: Instant
    lasted_s: float
    count: int
    """Of an overfull port: the most present at once."""
    on_breach: OnBreach


class RehearsedPort(ResponseModel):
    switch: str
    port: str
    breaches: int
    lasted_s: float


class RehearsedDevice(ResponseModel):
    mac: MacText
    breaches: int


class RehearsedDay(ResponseModel):
    day: date
    breaches: int


class SeatSuggestion(ResponseModel):
    """How many endpoints a port carried at once, over the time in which anybody was there."""

    switch: str
    port: str
    typical: int
    high: int
    """Never more for 95 % of that time."""
    peak: int
    above_high_s: float


class RehearsalFindings(ResponseModel):
    recorded_since: Instant | None
    """The records begin then, with the first reading; null: nothing was ever read."""
    stays: int
    """Intervals that were gone through."""
    reported: int
    """Findings there would have been."""
    not_reported: int
    """Breaches too short to be reported, or that a rule only records."""
    by_kind: dict[str, int]
    by_day: list[RehearsedDay]
    """Days in UTC on which one began."""
    ports: list[RehearsedPort]
    """Those that would have hurt, the most first; a thousand at most."""
    ports_count: int
    """All that would have."""
    devices: list[RehearsedDevice]
    breaches: list[RehearsedBreach]
    """The longest first."""
    without_effect: list[str]
    """Ports with a rule that nothing would have broken."""
    without_effect_count: int
    seats: list[SeatSuggestion]
    """The first thousand ports, those that carried most first; `/rehearsals/{id}/seats` lists all."""
    seats_count: int
    """Ports at which anybody was."""


class RehearsalRun(ResponseModel):
    id: int
    state: Literal["running", "done", "cancelled", "failed"]
    error: str
    began_at: Instant
    ended_at: Instant | None
    since: Instant
    until: Instant
    site: str | None
    switch: str | None
    group: str | None
    changes: int
    """Values in which its rules differ from those in force."""
    switches: int
    done: int
    """Switches gone through."""
    findings: RehearsalFindings | None
    """Once it is done."""
