"""The roll call, enrolment windows with their candidates, and ports by use."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.rules import Note, OnBreach, RuleLevel, SeatLimit

RollStatus = Literal["enrolled", "not enrolled", "stranger", "out of place", "barred"]


class PortOccupant(ResponseModel):
    """An endpoint present on a port."""

    mac: MacText
    vlan: int | None
    status: RollStatus
    """A stranger is enrolled nowhere, on a watched port; out of place is who is enrolled elsewhere."""
    unexpected_vlan: bool
    random: bool
    """Whether its device is likely to have made the address up."""


class RollReplacement(ResponseModel):
    """A stranger that may stand in for an absent entry of the port's roll."""

    entry: int
    absent: str
    mac: MacText


class RollCallPort(ResponseModel):
    """A port: its rule, with the level that each value comes from, and how many are there."""

    switch: str
    port: str
    alias: str
    exempt: bool
    """It is an uplink: rules do not apply to it."""
    seats: SeatLimit | None
    watched: bool
    vlans: list[int] | None
    on_breach: OnBreach
    reopen_after_s: int
    uplinks: bool
    sources: dict[str, str]
    """By value: the level it comes from; those that no level sets are left out."""
    roll_size: int
    present: int
    """Different addresses present."""
    enrolled: int
    strangers: int
    out_of_place: int
    barred: int
    absent: int
    """Addresses enrolled at the port itself that are not present."""
    random: int
    overfull: bool
    """More than it has seats."""
    room: int | None
    """Seats left; null without a limit."""
    broken: bool
    """Whether any rule is broken here."""
    read_at: Instant | None
    """The latest whole reading of its switch, which all this is of."""
    not_read: bool
    """Its switch is not read in time: who is here now is not known."""


class RollCall(RollCallPort):
    """Who is on a port, beside who may be."""

    count: int
    """Different addresses present."""
    newcomers: int
    """Of those, who came within the last ageing time: one may have taken the place of another."""
    roll: list[str]
    """Prefixes enrolled at any level, with their VLAN."""
    occupants: list[PortOccupant]
    absentees: list[str]
    """Whole addresses that are enrolled here and not present."""
    replacements: list[RollReplacement]


class RollCallTotals(ResponseModel):
    ports: int
    present: int
    enrolled: int
    strangers: int
    out_of_place: int
    barred: int
    absent: int
    overfull: int
    """Ports with more present than seats."""
    broken: int
    """Ports at which any rule is broken."""
    not_read: int
    """Ports of switches that are not read in time: the other numbers are of their latest readings."""


class RollCallPage(ResponseModel):
    """Ports with a rule, and the sums over all of them, also of those on other pages."""

    totals: RollCallTotals
    items: list[RollCallPort]
    next: str | None


class AbsentEntry(ResponseModel):
    """A whole address that is enrolled, and present nowhere where it may be."""

    id: int
    address: MacText
    vlan: int | None
    level: str
    note: str
    owner: str
    seen_at: Instant | None
    """When it was present last, anywhere; null: never."""
    seen_switch: str | None
    seen_port: str | None
    not_read: bool
    """A switch where it may be is not read in time: it is absent from its latest reading."""


class ExpectedList(RequestModel):
    """Devices that are expected, as CSV: device (an address, a name or an IP), and maybe switch and port."""

    text: Annotated[str, Field(min_length=1, max_length=16 << 20)]
    level: RuleLevel = RuleLevel()
    """Whoever is present at its ports must be on the list."""


class AttendedDevice(ResponseModel):
    attendance: Literal["in place", "elsewhere", "absent", "unknown", "not listed"]
    device: str
    line: int | None
    mac: MacText | None
    expected_switch: str | None
    expected_port: str | None
    found: list[str]
    """Ports it is present at."""
    not_read: bool
    """A switch where it is present, or may be, is not read in time: all this is of its latest reading."""


class NewWindow(RequestModel):
    """A time in which those present at the ports of a level become candidates."""

    level: RuleLevel
    begins_at: Instant | None = None
    """Now, unless given. It may be in the past: the records have who was there."""
    ends_at: Instant
    min_present_s: Annotated[int, Field(ge=0, le=90 * 86400)] = 0
    """For how long one must have been present in it, in all."""
    note: Note = ""


class EnrolmentWindow(ResponseModel):
    id: int
    level: str
    group: str | None
    switch: str | None
    ports: str | None
    port: str | None
    begins_at: Instant
    ends_at: Instant
    min_present_s: int
    state: Literal["ahead", "open", "over", "closed"]
    """Over: its time is, and its candidates wait for a decision."""
    note: str
    by: str
    at: Instant
    closed_by: str
    closed_at: Instant | None


class Candidate(ResponseModel):
    """An address that was present in a window, waiting for a person's decision."""

    mac: MacText
    switch: str
    port: str
    vlans: list[int]
    since: Instant
    """First seen there in the window."""
    seen_at: Instant
    """Last seen there in it."""
    present_s: float
    share: float
    """Of the window that is over, 0 to 1."""
    here_now: bool
    maker: str
    label: str
    ips: list[str]
    host_names: list[str]
    kind: Literal["phone", "random", ""]
    """A telephone announces itself so (LLDP); random is an address its device made up."""
    decision: Literal["waiting", "accepted", "refused"]
    decided_by: str
    decided_at: Instant | None


class CandidateRef(RequestModel):
    mac: MacText
    switch: str
    port: str


class Decisions(RequestModel):
    """Candidates to enrol at their ports, and those not to."""

    accept: Annotated[list[CandidateRef], Field(max_length=10_000)] = Field(default_factory=list)
    refuse: Annotated[list[CandidateRef], Field(max_length=10_000)] = Field(default_factory=list)
    note: Note = ""

    @model_validator(mode="after")
    def _some(self) -> Self:
        if not self.accept and not self.refuse:
            raise ValueError("name at least one candidate to accept or to refuse")
        return self


class PortByUse(ResponseModel):
    """A port that is not used as it could be."""

    switch: str
    port: str
    alias: str
    what: Literal["unused", "silent", "slow", "half duplex"]
    since: Instant | None
    """Unused, or silent, since then; null: since before anything was recorded."""
    why: str
