"""Rules of ports: what is set at each level, the rolls, who is barred, and the log of changes."""

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from kiteroll.core.errors import Invalid
from kiteroll.core.model.makers import parse_address_or_prefix
from kiteroll.core.policy.levels import parse_ports, ports_text
from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.types import SwitchName, VlanId

SeatLimit = Annotated[int, Field(ge=0, le=10_000)] | Literal["no limit"]
OnBreach = Literal["record", "note", "warning", "serious", "propose", "close"]
ReopenS = Annotated[
    int,
    Field(
        ge=0, le=30 * 86400, description="seconds until a closed port is opened again; 0: by a person alone"
    ),
]
Note = Annotated[str, Field(max_length=255)]
Owner = Annotated[str, Field(max_length=64)]
MAX_CHANGES = 10_000


def _digits(value: Any) -> Any:
    if not isinstance(value, str):
        return value
    try:
        return parse_address_or_prefix(value)
    except Invalid as wrong:
        raise ValueError(f"{wrong} (02:1a:05)") from wrong


def _ports(value: str) -> str:
    try:
        return ports_text(parse_ports(value))
    except Invalid as wrong:
        raise ValueError(str(wrong)) from wrong


Prefix = Annotated[
    str,
    BeforeValidator(_digits),
    Field(description="an address or a prefix: 6 to 12 hex digits, any notation", examples=["02:1a:05"]),
]
PortRange = Annotated[
    str,
    Field(min_length=1, max_length=255, description="a range of ports, or several", examples=["p1-p20,p24"]),
    AfterValidator(_ports),
]


class RuleLevel(RequestModel):
    """A group, a switch, a range of its ports or one port of it; none of them: everything."""

    group: Annotated[str, Field(min_length=1, max_length=64)] | None = None
    switch: SwitchName | None = None
    ports: PortRange | None = None
    port: Annotated[str, Field(min_length=1, max_length=255)] | None = None

    @model_validator(mode="after")
    def _one_level(self) -> Self:
        if self.group is not None and self.switch is not None:
            raise ValueError("name a group or a switch, not both")
        if (self.port is not None or self.ports is not None) and self.switch is None:
            raise ValueError("a port needs its switch")
        if self.port is not None and self.ports is not None:
            raise ValueError("name one port or a range of them, not both")
        return self


class RuleChange(RuleLevel):
    """What is to be set at one level. What is left out stays as it is; null inherits from the level above."""

    seats: SeatLimit | None = None
    """Endpoints a port may carry."""
    watched: bool | None = None
    """Whether addresses that are not on the roll raise a finding."""
    vlans: Annotated[list[VlanId], Field(max_length=4094)] | None = None
    """VLANs in which addresses are expected."""
    on_breach: OnBreach | None = None
    reopen_after_s: ReopenS | None = None
    uplinks: bool | None = None
    """Whether the rule holds on uplinks too."""
    note: Note | None = None


class _Authored(RequestModel):
    """Why a change is made; kept for good, with who makes it."""

    reason: Note = ""


class RulesPatch(_Authored):
    """Changes of any number of levels: one change, all of it or nothing."""

    changes: Annotated[list[RuleChange], Field(min_length=1, max_length=MAX_CHANGES)]
    dry_run: bool = False


class NewEntry(RuleLevel):
    """An address to enrol, or a prefix of addresses."""

    prefix: Prefix
    vlan: VlanId | None = None
    note: Note = ""
    owner: Owner = ""
    expires_at: Instant | None = None
    reason: Note = ""


class NewEntries(_Authored):
    """A list to enrol, as CSV: address, and maybe group, switch, ports, port, vlan, note, owner, expires."""

    text: Annotated[str, Field(min_length=1, max_length=16 << 20)]
    level: RuleLevel | None = None
    """Of lines that name none."""
    dry_run: bool = False


class EnrolPresent(_Authored):
    """Enrol everybody who is present now at the ports of a level, each at their port."""

    level: RuleLevel
    note: Note = ""
    dry_run: bool = False


class EntryReplacement(_Authored):
    """The device that stands in for an enrolled one."""

    mac: MacText


class NewBarred(_Authored):
    """What must appear nowhere; the reason is shown with the finding."""

    prefix: Prefix
    expires_at: Instant | None = None


class RulesFile(_Authored):
    """Rules as TOML: all of them. What the file does not hold is removed."""

    text: Annotated[str, Field(max_length=16 << 20)]
    dry_run: bool = False


class RuleDifference(ResponseModel):
    """One value of one level that a change makes another."""

    level: str
    group: str | None
    switch: str | None
    ports: str | None
    port: str | None
    what: str
    """The value's name, or enrolled, struck off, barred, bar lifted."""
    address: str | None
    """Of an entry: its address or prefix, with its VLAN."""
    before: str | None
    after: str | None


class RulesOutcome(ResponseModel):
    applied: bool
    """False for a dry run, and where nothing differs."""
    differences: list[RuleDifference]
    cautions: list[str]
    """What is allowed, and probably not meant."""


class RollEntry(ResponseModel):
    id: int
    prefix: str
    vlan: int | None
    note: str
    owner: str
    expires_at: Instant | None
    expired: bool
    by: str
    at: Instant
    via: str
    """hand, list, file, present, or the window it was a candidate in."""


class RollRow(RollEntry):
    """An entry of a roll, with the level whose roll it is; in exports."""

    level: str
    group: str | None
    switch: str | None
    ports: str | None
    port: str | None


class PortRules(ResponseModel):
    """What is set at one level."""

    level: str
    group: str | None
    switch: str | None
    ports: str | None
    port: str | None
    seats: SeatLimit | None
    watched: bool | None
    vlans: list[int] | None
    on_breach: OnBreach | None
    reopen_after_s: int | None
    uplinks: bool | None
    note: str
    roll: list[RollEntry]


class BarredEntry(ResponseModel):
    prefix: str
    reason: str
    expires_at: Instant | None
    expired: bool
    by: str
    at: Instant


class RuleEvent(ResponseModel):
    """Who changed what of the rules, when and why."""

    at: Instant
    by: str
    reason: str
    via: str
    level: str
    what: str
    address: str | None
    before: Any
    after: Any


class EnrolmentOf(ResponseModel):
    """Where an endpoint may be, by every roll."""

    enrolled: list[str]
    """Each entry that authorises it, with its level: address or prefix, note, owner."""
    barred: str | None
    """Why it must appear nowhere; null: it is not barred."""


class RulesText(ResponseModel):
    """Rules as TOML."""

    text: str
