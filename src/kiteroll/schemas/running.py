"""The service itself: sessions, problems, files, rounds."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Answer, Instant, Model
from kiteroll.schemas.words import SwitchName


class ServiceHealth(Answer):
    version: str
    started_at: Instant
    database: Literal["up", "down"]
    database_note: str
    switches: int
    endpoints: int
    tracked: int
    """(address, place) pairs with an open stay."""


class SignIn(Model):
    token: str = Field(min_length=1, max_length=512, repr=False)


class Session(Answer):
    signed_in: bool


class Mapping(Model):
    """How the columns of a CSV table are to be understood; without a heading, columns are numbers."""

    address: Annotated[str, Field(min_length=1, max_length=255)]
    port: Annotated[str, Field(min_length=1, max_length=255)]
    vlan: str = ""
    status: str = ""
    delimiter: Annotated[str, Field(min_length=1, max_length=1)] = ","
    heading: bool = True
    skip: Annotated[int, Field(ge=0, le=1000)] = 0
    notation: Literal["hex", "decimal"] = "hex"
    learned: list[str] = Field(default_factory=list)
    port_name: str = "{port}"
    port_names: dict[str, str] = Field(default_factory=dict)


class NamedMapping(Answer):
    name: str
    mapping: Mapping


class NewTable(Model):
    """A MAC address table as CSV text, for a switch that cannot be reached."""

    switch: SwitchName
    taken_at: Instant
    text: Annotated[str, Field(max_length=64 * 1024 * 1024)]
    mapping: SwitchName | Mapping
    """A mapping's name, or one given here."""
    file: Annotated[str, Field(max_length=255)] = "the table"
    """What messages call it."""
    dry_run: bool = False


class NewRound(Model):
    """Which switches to read: some by name, a group, or all; one of the three."""

    switches: list[SwitchName] | None = None
    group: SwitchName | None = None
    all: bool = False

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if sum((bool(self.switches), self.group is not None, self.all)) != 1:
            raise ValueError("name the switches, or a group, or say all: one of them")
        return self


class Round(Answer):
    """A round somebody asked for."""

    id: int
    state: Literal["running", "done", "cancelled", "broken off"]
    """`broken off`: the service ended in the middle of it; it can be resumed."""
    began_at: Instant
    ended_at: Instant | None
    wanted: int
    tried: int
    well: int
    """Read completely."""
    left: list[str]
    failed: list[str]
    """Tried, and not read completely."""


class FieldProblem(Answer):
    where: str
    what: str


class Problem(Answer):
    """Problem details (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    errors: list[FieldProblem] = Field(default_factory=list)
