"""Rules of ports as values: what can be set at a level, and what holds at a port."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from enum import Enum, StrEnum
from typing import Final

from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.roll import Enrolled, Roll


class NoLimit(Enum):
    """Of a port that may carry any number of endpoints, whatever wider levels say."""

    NO_LIMIT = "no limit"


NO_LIMIT: Final = NoLimit.NO_LIMIT
Seats = int | NoLimit
"""How many endpoints a port may carry."""
STAYS_CLOSED = timedelta(0)
"""`reopen_after` of a port that nothing but a person opens again."""


class OnBreach(StrEnum):
    """What breaking a rule does, in order of strictness."""

    RECORD = "record"
    """No finding: the roll call shows it, and a rehearsal of the rules in force shows when it was so."""
    NOTE = "note"
    """A finding of this severity; the same for the next two."""
    WARNING = "warning"
    SERIOUS = "serious"
    PROPOSE = "propose"
    """A finding, and the proposal to close the port."""
    CLOSE = "close"
    """A finding, and the port is closed."""

    @property
    def strictness(self) -> int:
        return list(OnBreach).index(self)


@dataclass(frozen=True, slots=True)
class Rule:
    """Settings at one level; None inherits."""

    seats: Seats | None = None
    watched: bool | None = None
    """Whether addresses that are not on the roll raise a finding."""
    roll: tuple[Enrolled, ...] = ()
    vlans: frozenset[int] | None = None
    """VLANs in which addresses are expected."""
    on_breach: OnBreach | None = None
    reopen_after: timedelta | None = None
    """When a port that was closed for a breach is opened again; zero: by a person alone."""
    uplinks: bool | None = None
    """Whether the rule holds on uplinks too, which are exempt otherwise."""
    note: str = ""

    @property
    def sets_something(self) -> bool:
        """Whether anything is set at this level."""
        return bool(self.roll or self.note) or any(getattr(self, name) is not None for name in VALUES)


VALUES = ("seats", "watched", "vlans", "on_breach", "reopen_after", "uplinks")
"""Names of what a level sets, and a nearer level overrides. Rolls add up."""


class RollStatus(StrEnum):
    """Of an address that is present on a port."""

    ENROLLED = "enrolled"
    NOT_ENROLLED = "not enrolled"
    """On a port that is not watched."""
    STRANGER = "stranger"
    """Enrolled nowhere, on a port that is watched."""
    OUT_OF_PLACE = "out of place"
    """Enrolled elsewhere, or here in another VLAN, on a port that is watched."""
    BARRED = "barred"


@dataclass(frozen=True, slots=True)
class PortRule:
    """What applies to one port."""

    seats: Seats | None = None
    watched: bool = False
    roll: Roll = field(default_factory=Roll)
    vlans: frozenset[int] | None = None
    on_breach: OnBreach = OnBreach.WARNING
    reopen_after: timedelta = STAYS_CLOSED
    uplinks: bool = False
    own_roll: tuple[Enrolled, ...] = field(default=(), compare=False)
    """Of the roll, what is enrolled at the port itself."""
    sources: Mapping[str, Level] = field(default_factory=dict, compare=False)
    """By name of a value: the level it comes from; those that no level sets are left out."""

    @property
    def sets_something(self) -> bool:
        """Whether anything can break it."""
        return isinstance(self.seats, int) or self.watched or self.vlans is not None

    def overfull(self, present: int) -> bool:
        """With so many different addresses present."""
        return isinstance(self.seats, int) and present > self.seats

    def room(self, present: int) -> int | None:
        """Seats that are left, never below 0; None without a limit."""
        return max(self.seats - present, 0) if isinstance(self.seats, int) else None

    def unexpected_vlan(self, vlan: int | None) -> bool:
        return self.vlans is not None and vlan is not None and vlan not in self.vlans
