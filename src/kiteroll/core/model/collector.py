"""Collectors: programs that read the switches of a site there, and send the readings to the centre."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

LOST_AFTER = timedelta(seconds=30)
"""A collector says how it is every five seconds; one that is not heard for so long counts as lost."""
BEHIND_AFTER = timedelta(seconds=45)
"""Every ten seconds a collector notes the time among its readings; when the last note that has come is older,
readings of the site are still on their way."""


class CollectorState(StrEnum):
    READING = "reading"
    STANDBY = "standby"
    """It is heard; another one of its site reads."""
    LOST = "lost"
    NEVER_HEARD = "never heard"


@dataclass(frozen=True, slots=True, kw_only=True)
class CollectorStatus:
    """What a collector reported of itself last."""

    heard_at: datetime
    """By the clock of the centre."""
    version: str
    started_at: datetime
    reads: bool
    """Whether it is the one of its site that reads."""
    switches: int
    """That it is to read."""
    clock_ahead_s: float
    """By how much the clock of its machine is ahead of the centre's."""
    waiting: int
    """Readings it could not hand to the message engine of its site yet."""
    problem: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Collector:
    name: str
    site: str
    public_key: str
    """X25519, in base64: its targets are sealed for it alone."""
    added_at: datetime
    status: CollectorStatus | None = None
    """None: it was never heard."""

    def state(self, now: datetime) -> CollectorState:
        if self.status is None:
            return CollectorState.NEVER_HEARD
        if now - self.status.heard_at > LOST_AFTER:
            return CollectorState.LOST
        return CollectorState.READING if self.status.reads else CollectorState.STANDBY

    def is_heard(self, now: datetime) -> bool:
        return self.state(now) in (CollectorState.READING, CollectorState.STANDBY)


@dataclass(frozen=True, slots=True, kw_only=True)
class SiteCondition:
    """How the readings of a site come that collectors read."""

    site: str
    waiting: int = 0
    """Readings on their way, as far as is known."""
    silent_since: datetime | None = None
    """None of its collectors that reads is heard, since then; None: one is."""
    error: str = ""
    as_of: datetime | None = None
    """Everything that was read until then has come; None: nothing is known of it yet."""
    behind_since: datetime | None = None
    """The same, while that is longer ago than it should be; None: it is not."""
    dropped: int = 0
    """Readings the site had no room for any more before they could be sent, in all."""
    dropped_at: datetime | None = None
    refused: int = 0
    """Messages of the site that were not taken: of switches it is not to read, or from the future."""
    refused_at: datetime | None = None
    refusal: str = ""

    @property
    def up_to_date(self) -> bool:
        """Whether an old reading says something of its switch, and not of the way here."""
        return self.silent_since is None and self.behind_since is None


def silent_since(collectors: list[Collector], now: datetime) -> datetime | None:
    """When the last reading collector of a site was heard last; None while one is."""
    if any(one.state(now) is CollectorState.READING for one in collectors):
        return None
    heard = [one.status.heard_at if one.status else one.added_at for one in collectors]
    return max(heard, default=None)
