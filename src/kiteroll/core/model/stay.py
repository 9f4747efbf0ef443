"""Stays and the places they are at."""

from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress


class Life(StrEnum):
    """Life of an endpoint at a place."""

    PRESENT = "present"
    """In the switch's latest complete table."""
    QUIET = "quiet"
    """Missing from it, but within the hold time."""
    GONE = "gone"
    """The stay has ended."""


class Ending(StrEnum):
    """Why a stay ended."""

    HELD_OUT = "not heard within the hold time"
    MOVED = "learned at another port of the switch"
    PORT_DOWN = "port went down"
    REMOVED = "switch was removed from the inventory"


@dataclass(frozen=True, slots=True)
class Place:
    switch: str
    port: str
    vlan: int | None

    def __str__(self) -> str:
        vlan = f" VLAN {self.vlan}" if self.vlan else ""
        return f"{self.switch} port {self.port}{vlan}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    """An unbroken interval [began_at, ended_at) of one endpoint at one place.

    `last_seen_at` is None while the address is in the switch's latest complete table: then it was
    last seen when that was read, and no row needs to be written to say so.
    """

    id: int
    mac: MacAddress
    place: Place
    began_at: datetime
    resumed_at: datetime
    """When it was last found again after a quiet time; `began_at` when it never was quiet."""
    last_seen_at: datetime | None = None
    quiet_at: datetime | None = None
    """When a complete reading first missed it; None also while a restarted switch still learns."""
    ended_at: datetime | None = None
    ending: Ending | None = None

    @property
    def life(self) -> Life:
        if self.ended_at is not None:
            return Life.GONE
        return Life.PRESENT if self.last_seen_at is None else Life.QUIET

    def as_known_then(self, resumed_at: datetime, quiet_since: datetime | None) -> "Stay":
        """What was known of it at an instant that it covers: what came later is left out. `resumed_at`: since
        when it had been heard without a quiet time; `quiet_since`: when the quiet time began that it was in;
        then it was last seen no later than that."""
        seen_at = self.last_seen_at if quiet_since is not None and quiet_since == self.quiet_at else None
        return replace(
            self,
            resumed_at=resumed_at,
            last_seen_at=seen_at or quiet_since,
            quiet_at=quiet_since,
            ended_at=None,
            ending=None,
        )

    def seen_until(self, last_complete_at: datetime | None) -> datetime:
        """When it was last known to be there, given the switch's last complete reading."""
        if self.last_seen_at is not None:
            return self.last_seen_at
        return max(self.resumed_at, last_complete_at) if last_complete_at else self.resumed_at
