"""Acting on ports: plans, actions, closed ports, proposals, and asking hosts to be heard."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.rules import ReopenS
from kiteroll.schemas.types import SwitchName

ActionKind = Literal["close-port", "reopen-port", "set-alias", "set-ageing-time"]
ActionState = Literal["sending", "done", "refused", "not done", "unknown"]
Guard = Literal[
    "uplink",
    "bundle",
    "bridge-behind",
    "router-behind",
    "way-to-service",
    "many-ports",
    "share-of-switch",
    "old-data",
]
ProposalState = Literal["open", "approved", "refused", "expired", "withdrawn"]
Reason = Annotated[str, Field(min_length=1, max_length=255)]


class NewAction(RequestModel):
    """Without `dry_run: false` it is only planned: nothing is sent."""

    kind: ActionKind
    switch: SwitchName
    port: Annotated[str, Field(max_length=255)] = ""
    """Empty for set-ageing-time, which is of the whole switch."""
    alias: Annotated[str, Field(max_length=64)] | None = None
    ageing_time_s: Annotated[int, Field(ge=10, le=1_000_000)] | None = None
    reason: Reason
    reopen_after_s: ReopenS = 0
    """Of close-port: when it opens again by itself; 0: by a person alone."""
    overrides: list[Guard] = Field(default_factory=list)
    """Guards that object, and are to be passed over."""
    dry_run: bool = True

    @model_validator(mode="after")
    def _value_fits(self) -> Self:
        for kind, name in (("set-alias", "alias"), ("set-ageing-time", "ageing_time_s")):
            if (getattr(self, name) is not None) != (self.kind == kind):
                raise ValueError(f"{name}: to be given for {kind}, and for nothing else")
        if self.reopen_after_s and self.kind != "close-port":
            raise ValueError("reopen_after_s: a port that is closed alone opens again")
        return self


class Objection(ResponseModel):
    guard: Guard
    text: str


class PresentEndpoint(ResponseModel):
    mac: MacText
    label: str
    names: list[str]
    ips: list[str]
    maker: str


class ActionPlan(ResponseModel):
    kind: ActionKind
    switch: str
    port: str
    object: str
    """ifAdminStatus.7"""
    was: str
    """What it says now, read from the switch."""
    to: str
    credential: str
    """Name of the credential it is written with."""
    present: list[PresentEndpoint]
    """Who is on the port, the first 50."""
    present_count: int
    objections: list[Objection]
    changes_nothing: bool
    rule: str
    """What the rules of the port say of breaches; empty where nothing is set."""


class Action(ResponseModel):
    id: int
    kind: ActionKind
    switch: str
    port: str
    object: str
    was: str
    to: str
    state: ActionState
    outcome: str
    """What the switch answered, and what it reported when it was read back."""
    reason: str
    asked_by: str
    """Empty: a rule by itself, or the timer."""
    via: str
    overridden: list[str]
    present: list[str]
    """Addresses on the port before."""
    began_at: Instant
    ended_at: Instant | None


class ActionAnswer(ResponseModel):
    plan: ActionPlan | None
    """Null where it was carried out."""
    action: Action | None
    """Null where it was only planned."""


class ClosedPort(ResponseModel):
    switch: str
    port: str
    closed_at: Instant
    closed_by: str
    """Empty: a rule by itself."""
    why: str
    reopen_at: Instant | None
    """Null: by a person alone."""
    held: bool
    """The same breach came back each time the timer had opened it."""
    came_back: int
    action: int


class PortClosedElsewhere(ResponseModel):
    switch: str
    port: str
    alias: str
    since: Instant | None
    """Since when it is down, as far as that is known."""


class ClosingStopped(ResponseModel):
    since: Instant
    why: str


class ClosedPorts(ResponseModel):
    closed: list[ClosedPort]
    elsewhere: list[PortClosedElsewhere]
    """Shut on their switches, and not by Kite Roll."""
    stopped: ClosingStopped | None
    """Rules close no ports by themselves any more."""
    can_write: int
    """Switches that have a credential to write with."""


class Proposal(ResponseModel):
    id: int
    switch: str
    port: str
    finding: int | None
    why: str
    note: str
    """What keeps it from being done without asking; empty: the rule says to propose."""
    reopen_after_s: int
    proposed_at: Instant
    expires_at: Instant
    state: ProposalState
    decided_at: Instant | None
    decided_by: str
    action: int | None


class Approval(RequestModel):
    overrides: list[Guard] = Field(default_factory=list)


class NewSweep(RequestModel):
    """Ask hosts to be heard: one datagram to the discard port of each address."""

    networks: Annotated[list[Annotated[str, Field(max_length=64)]], Field(min_length=1, max_length=256)]
    """Networks or addresses, within those of acting.ask_networks."""
    switches: Annotated[list[SwitchName], Field(max_length=1000)] = Field(default_factory=list)
    """Read again afterwards; empty: every one."""


class Appeared(ResponseModel):
    switch: str
    mac: MacText


class Sweep(ResponseModel):
    id: int
    networks: list[str]
    addresses: int
    sent: int
    switches: list[str]
    read: int
    not_read: list[str]
    state: Literal["asking", "reading", "done", "failed"]
    error: str
    appeared: list[Appeared]
    """Of each switch, addresses that its table did not have before."""
    by: str
    began_at: Instant
    ended_at: Instant | None


class AgeingAdvice(ResponseModel):
    switch: str
    ageing_s: int | None
    advice: Literal["keep", "longer", "shorter", "larger table"]
    advised_s: int | None
    """Null where it should stay, or no setting helps."""
    text: str
    endpoints: int
    talk_seldom: float
    """Share of endpoints that were forgotten and came back, 0 to 1."""
    table_use: float | None
    learning_discards: int | None
