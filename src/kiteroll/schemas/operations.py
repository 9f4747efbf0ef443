"""The service itself: health, sessions, problems, imports, rounds."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.types import Name, SwitchName


class ServiceHealth(ResponseModel):
    version: str
    started_at: Instant
    database: Literal["up", "down"]
    database_note: str
    switches: int
    endpoints: int
    tracked: int
    """(address, place) pairs with an open stay."""
    open_findings: int
    """Those that another one explains left out."""
    clock_ahead_s: float = Field(
        default=0,
        description="by how much its clock is ahead of the system's, which was set back; it goes at half "
        "speed until the two agree",
    )
    role: Literal["tracks", "answers"] = Field(
        default="tracks",
        description="`tracks`: it reads switches, finds and makes changes; `answers`: it follows the records "
        "of the one that tracks, and passes changes on to it",
    )
    tracker: str = Field(default="", description="of one that only answers: where the one is that tracks")
    follows_since: Instant | None = Field(
        default=None, description="since when what it knows is as the records are; null: not at the moment"
    )
    follows_note: str = Field(default="", description="why not")
    workers: list["WorkerHealth"]
    """What runs beside the polling, and whether it does."""


class WorkerHealth(ResponseModel):
    name: str
    running: bool
    failures: int
    """Since the service started; it is started again after each."""
    failed_at: Instant | None
    error: str
    """Of the last failure."""
    starts_again_at: Instant | None


class CsvMapping(RequestModel):
    """How the columns of a CSV table are understood; without a heading, columns are numbers."""

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


class NamedMapping(ResponseModel):
    name: str
    mapping: CsvMapping


class NewMacTable(RequestModel):
    """A MAC address table as CSV text, for a switch that cannot be reached."""

    switch: SwitchName
    taken_at: Instant
    text: Annotated[str, Field(max_length=64 * 1024 * 1024)]
    mapping: Name | CsvMapping
    """A mapping's name, or one given here."""
    file: Annotated[str, Field(max_length=255)] = "the table"
    """Its name in messages."""
    dry_run: bool = False


class NewRound(RequestModel):
    """Which switches to read: some by name, a group, a site, or all; one of the four."""

    switches: list[SwitchName] | None = None
    group: Name | None = None
    site: Annotated[str, Field(min_length=1, max_length=64)] | None = None
    all: bool = False

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if sum((bool(self.switches), self.group is not None, self.site is not None, self.all)) != 1:
            raise ValueError("say which switches to read: some by name, a group, a site, or all; one of them")
        return self


class Round(ResponseModel):
    """A round somebody asked for."""

    id: int
    state: Literal["running", "done", "cancelled", "interrupted"]
    """`interrupted`: the service ended while it ran; it can be resumed."""
    began_at: Instant
    ended_at: Instant | None
    total: int
    tried: int
    complete: int
    """Read completely."""
    remaining: list[str]
    failed: list[str]
    """Tried, and not read completely."""


class FieldProblem(ResponseModel):
    where: str
    what: str


class Problem(ResponseModel):
    """Problem details (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    errors: list[FieldProblem] = Field(default_factory=list)


class Setting(ResponseModel):
    """A setting that can be changed while the service runs."""

    name: str
    """section.setting, as in the configuration file."""
    value: int | float | str
    """A number, or a span of time such as 15m."""
    default: int | float | str
    source: Literal["default", "here", "configuration"]
    """`configuration`: file, environment or an option say what it is; it cannot be changed here."""
    set_by: str
    set_at: Instant | None


class SettingValue(RequestModel):
    value: int | float | str
