"""Events of the live stream."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, MacText, ResponseModel
from kiteroll.schemas.findings import FindingKind, FindingState
from kiteroll.schemas.types import ChangeKind


class HelloEvent(ResponseModel):
    """The stream begins; what is fetched from now on is not older than what the stream sends."""

    event: Literal["hello"] = "hello"
    resumed: bool
    """Whether it goes on behind the last event the listener had: nothing was missed but for a `resync`."""


class ReadingEvent(ResponseModel):
    """A switch was read, or could not be."""

    event: Literal["reading"] = "reading"
    switch: str
    at: Instant
    outcome: Literal["complete", "partial", "failed"]
    rows: int | None
    """Rows of its MAC address table; null when it failed."""
    changes: int
    error: str


class ChangeEvent(ResponseModel):
    """An endpoint appeared, moved, fell quiet, came back or went; or a switch restarted."""

    event: Literal["change"] = "change"
    kind: ChangeKind
    at: Instant
    switch: str
    mac: MacText | None
    port: str | None
    vlan: int | None
    from_port: str | None
    """Where it was, of a move on one switch."""
    uplink: bool
    """Whether the port leads to another switch: every endpoint behind it is learned there too."""


class FindingEvent(ResponseModel):
    """A finding opened, changed or cleared."""

    event: Literal["finding"] = "finding"
    kind: FindingKind
    state: FindingState
    title: str
    switch: str | None
    mac: MacText | None


class RulesEvent(ResponseModel):
    """Rules of ports, rolls or barred addresses changed."""

    event: Literal["rules"] = "rules"


class FollowingEvent(ResponseModel):
    """Whether the service that answers here hears the one that tracks; of services that only answer."""

    event: Literal["following"] = "following"
    heard: bool
    note: str
    """Why not."""


class ResyncEvent(ResponseModel):
    """Events were missed: fetch lists again."""

    event: Literal["resync"] = "resync"


StreamEvent = Annotated[
    HelloEvent | ReadingEvent | ChangeEvent | FindingEvent | RulesEvent | FollowingEvent | ResyncEvent,
    Field(discriminator="event"),
]
EventName = Literal["reading", "change", "finding", "rules"]
