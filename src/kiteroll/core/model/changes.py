"""What one reading changed, as values: the tracker makes them, the store writes them."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Ending, Place


class ChangeKind(StrEnum):
    APPEARED = "appeared"
    MOVED = "moved"
    QUIET = "quiet"
    RETURNED = "returned"
    GONE = "gone"
    RESTARTED = "restarted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Appeared:
    """An address is learned where it had no open stay: stay `stay` begins."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """The switch now learns the address at another of its ports in the same VLAN.

    Stay `ended` at `origin` ends, stay `stay` at `place` begins, both at `at`.
    """

    at: datetime
    mac: MacAddress
    place: Place
    stay: int
    origin: Place
    ended: int
    last_seen_at: datetime
    """When it was last known at `origin`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Quiet:
    """A complete reading misses the address."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int
    last_seen_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Returned:
    """A quiet address is in the table again, at the same place: its stay goes on."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Gone:
    """The stay ends at `at`."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int
    last_seen_at: datetime
    ending: Ending


@dataclass(frozen=True, slots=True, kw_only=True)
class Restarted:
    """The switch restarted, so its table began empty: absence does not count for a while."""

    at: datetime
    switch: str
    booted_at: datetime
    grace_until: datetime
    """Until then a missing address is awaited, not quiet."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Awaited:
    """Missing after a restart and not yet due back. Stored, but not reported: nothing happened."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int
    last_seen_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Resumed:
    """An awaited address was learned again where it was before the restart."""

    at: datetime
    mac: MacAddress
    place: Place
    stay: int


Change = Appeared | Moved | Quiet | Returned | Gone | Restarted | Awaited | Resumed

KINDS: dict[type, ChangeKind] = {
    Appeared: ChangeKind.APPEARED,
    Moved: ChangeKind.MOVED,
    Quiet: ChangeKind.QUIET,
    Returned: ChangeKind.RETURNED,
    Gone: ChangeKind.GONE,
    Restarted: ChangeKind.RESTARTED,
}
"""The changes people see. Awaited and Resumed are bookkeeping and have no kind."""
