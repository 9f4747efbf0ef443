"""Rules of ports: seats, watching, the roll, and the roll call."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kiteroll.core.errors import Invalid
from kiteroll.core.model.makers import parse_address_or_prefix
from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.findings import Person
from kiteroll.schemas.types import SwitchName, VlanId


class RuleLevel(RequestModel):
    """A group, a switch, or one port of a switch."""

    group: Annotated[str, Field(min_length=1, max_length=64)] | None = None
    switch: SwitchName | None = None
    port: Annotated[str, Field(min_length=1, max_length=255)] | None = None

    @model_validator(mode="after")
    def _one_level(self) -> Self:
        if (self.group is None) == (self.switch is None):
            raise ValueError("name a group, or a switch (and a port of it)")
        if self.port is not None and self.switch is None:
            raise ValueError("a port needs its switch")
        return self


class NewRule(RuleLevel):
    """What is left out, or null, inherits from the level above."""

    seats: Annotated[int, Field(ge=1, le=10_000, description="endpoints a port may carry")] | None = None
    watched: bool | None = None
    """Whether strangers raise a finding."""


class NewEntry(RuleLevel):
    """An address to enrol, or a prefix of addresses."""

    prefix: Annotated[str, Field(description="6 to 12 hex digits, any notation", examples=["02:1a:05"])]
    vlan: VlanId | None = None
    note: Annotated[str, Field(max_length=255)] = ""
    by: Person

    @model_validator(mode="before")
    @classmethod
    def _digits(cls, given: Any) -> Any:
        if isinstance(given, dict) and isinstance(given.get("prefix"), str):
            try:
                return {**given, "prefix": parse_address_or_prefix(given["prefix"])}
            except Invalid as wrong:
                raise ValueError(f"prefix: {wrong} (02:1a:05)") from wrong
        return given


class RollEntry(ResponseModel):
    id: int
    prefix: str
    vlan: int | None
    note: str
    by: str
    at: Instant


class PortRules(ResponseModel):
    """The rule at one level."""

    group: str | None
    switch: str | None
    port: str | None
    seats: int | None
    watched: bool | None
    roll: list[RollEntry]


class PortOccupant(ResponseModel):
    """An endpoint present on a port."""

    mac: MacText
    vlan: int | None
    status: Literal["enrolled", "not enrolled", "stranger"]
    """A stranger is not enrolled on a port that is watched."""


class RollCall(ResponseModel):
    """Who is on a port, beside who may be."""

    switch: str
    port: str
    exempt: bool
    """It is an uplink: rules do not apply to it."""
    seats: int | None
    count: int
    """Different addresses present."""
    overfull: bool
    """More than it has seats."""
    watched: bool
    roll: list[str]
    """Prefixes enrolled at any level, with their VLAN."""
    present: list[PortOccupant]
    absent: list[str]
    """Whole addresses that are enrolled and not present."""
