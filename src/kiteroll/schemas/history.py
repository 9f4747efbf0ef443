"""Readings, changes, differences, VLANs and the map."""

from typing import Literal

from kiteroll.schemas.base import Instant, MacText, ResponseModel
from kiteroll.schemas.types import ChangeKind, Health, OperState, Outcome


class Change(ResponseModel):
    id: int
    at: Instant
    kind: ChangeKind
    switch: str
    mac: MacText | None
    vlan: int | None
    port: str | None
    from_port: str | None
    """Of a move."""
    ending: str | None
    """Why a stay ended, of those that are gone."""


class Gap(ResponseModel):
    table: str
    why: str
    rows: int
    breaks: bool


class ReadingSummary(ResponseModel):
    switch: str
    taken_at: Instant
    duration_ms: int
    outcome: Outcome
    rows: int
    changes: int
    gaps: list[Gap]
    error: str | None


class Hour(ResponseModel):
    """What came in an hour."""

    began_at: Instant
    readings: int
    incomplete: int
    """Readings that were not complete."""
    slowest_ms: int
    changes: int
    """Not those at uplinks."""
    new_endpoints: int
    findings: int
    """That opened in it."""


class Difference(ResponseModel):
    """How an endpoint differs between two instants."""

    mac: MacText
    kind: Literal["appeared", "came back", "gone", "moved", "at more places", "at fewer places"]
    at: Instant
    before: list[str]
    after: list[str]
    """Places at access ports."""


class UnreadSwitch(ResponseModel):
    """A switch that was not read around an instant: what is known of it then is as of the reading before."""

    switch: str
    read_before: Instant | None
    """Its latest whole reading by then; null: none is on record."""
    read_after: Instant | None
    """The first one behind it; null: there is none yet."""


class LinkChange(ResponseModel):
    at: Instant
    oper: OperState
    """What the link was from then on."""


class CountPoint(ResponseModel):
    at: Instant
    count: int
    """How many from then on."""


class VlanSummary(ResponseModel):
    id: int
    names: list[str]
    switches: int
    present: int


class VlanPort(ResponseModel):
    switch: str
    port: str
    alias: str
    tagged: bool
    default: bool
    """Untagged frames that come in belong to it."""
    oper: Literal["up", "down", "unknown"]


class MapLink(ResponseModel):
    """A cable between switches, as far as each end is known."""

    a: str
    a_port: str
    b: str
    b_port: str | None
    why: str
    state: Literal["carrying", "blocked", "down"]
    """blocked: kept as a spare by the spanning tree."""
    bundled: int
    """Ports bundled in it; 1 for a single cable."""


class MapSwitch(ResponseModel):
    name: str
    site: str
    health: Health
    healthy: bool
    present: int
    findings: int
    """Open ones that concern it."""


class NetworkMap(ResponseModel):
    switches: list[MapSwitch]
    links: list[MapLink]
