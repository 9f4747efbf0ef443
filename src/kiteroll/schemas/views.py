"""Readings, changes, and looks across switches."""

from typing import Literal

from kiteroll.schemas.base import Answer, Instant, MacText
from kiteroll.schemas.words import ChangeKind, Health, OperState, Outcome


class Change(Answer):
    id: int
    at: Instant
    kind: ChangeKind
    switch: str
    mac: MacText | None
    vlan: int | None
    port: str | None
    from_port: str | None
    """Of a move."""
    why: str


class Gap(Answer):
    table: str
    why: str
    rows: int
    breaks: bool


class ReadingSummary(Answer):
    switch: str
    taken_at: Instant
    duration_ms: int
    outcome: Outcome
    rows: int
    changes: int
    gaps: list[Gap]
    error: str | None


class Compared(Answer):
    """How an endpoint differs between two instants."""

    mac: MacText
    difference: Literal["appeared", "came back", "gone", "moved"]
    at: Instant
    before: list[str]
    after: list[str]
    """Places on ports that lead to no switch."""


class LinkChange(Answer):
    at: Instant
    oper: OperState
    """What the link was from then on."""


class CountStep(Answer):
    at: Instant
    count: int
    """How many from then on."""


class VlanSummary(Answer):
    id: int
    names: list[str]
    switches: int
    present: int


class VlanPort(Answer):
    switch: str
    port: str
    alias: str
    tagged: bool
    default: bool
    """Untagged frames that come in belong to it."""
    oper: Literal["up", "down", "unknown"]


class MapLink(Answer):
    """A cable between switches, as far as each end is known."""

    a: str
    a_port: str
    b: str
    b_port: str | None
    why: str


class MapSwitch(Answer):
    name: str
    site: str
    health: Health
    present: int
    findings: int
    """Open ones that concern it."""


class NetworkMap(Answer):
    switches: list[MapSwitch]
    links: list[MapLink]
