"""Collectors at sites."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.types import Name

CollectorStateName = Literal["reading", "standby", "lost", "never heard"]


class NewCollector(RequestModel):
    name: Name
    site: Annotated[str, Field(min_length=1, max_length=64)]
    """As switches name it; from then on its collectors read them."""
    public_key: Annotated[str, Field(min_length=44, max_length=64)]
    """As `kiteroll collector key` prints it there."""


class Collector(ResponseModel):
    """A program that reads the switches of a site there."""

    name: str
    site: str
    public_key: str
    """X25519, in base64."""
    added_at: Instant
    state: CollectorStateName
    """`reading`: it reads the site; `standby`: another one does; `lost`: not heard for half a minute."""
    heard_at: Instant | None
    version: str
    started_at: Instant | None
    switches: int
    """That it is to read."""
    clock_ahead_s: float
    """By how much the clock of its machine is ahead of ours; its readings are dated by ours."""
    unsent: int
    """Readings it could not hand to the message engine of its site yet."""
    problem: str
    """What it had trouble with last."""


class CollectedSite(ResponseModel):
    """How the readings of a site come that collectors read."""

    site: str
    up_to_date: bool
    silent_since: Instant | None
    """No collector of it that reads is heard since then."""
    behind_since: Instant | None
    """What was read there since then has not come yet."""
    on_their_way: int
    """Readings that are known to wait, there or here."""
    dropped: int
    """Messages the site had no room for before they could be sent, in all."""
    dropped_at: Instant | None
    refused: int
    """Messages that were not taken, in all."""
    refused_at: Instant | None
    refusal: str
