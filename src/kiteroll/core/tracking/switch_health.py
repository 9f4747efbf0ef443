"""How a switch is doing: whether it is read, on time, and set up so that its table can be trusted.

Each fact is decided here and nowhere else; findings, warnings, lists and metrics ask for it.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress

LATE_AFTER_INTERVALS = 3
"""Intervals without a complete reading after which a switch is late."""
DEFAULT_TABLE_SHARE = 0.9
_NONE: Mapping[str, Sequence[str]] = {}
_DRIFT_SHARE = 0.05
_DRIFT_LEAST = timedelta(seconds=5)
"""An uptime that differs from our clock by more than both is reported: restarts are judged by it."""


class SwitchHealth(StrEnum):
    UNREAD = "unread"
    """Not tried yet."""
    READ = "read"
    PARTIAL = "partial"
    LATE = "late"
    """Its last complete reading is older than three intervals, though it answers."""
    SILENT = "silent"
    """It does not answer."""
    REFUSED = "refused"
    """It rejects our credentials."""
    FAILED = "failed"
    OFF = "off"
    """Not to be read."""

    @property
    def is_healthy(self) -> bool:
        """Read completely and on time: the one decision what counts as healthy."""
        return self is SwitchHealth.READ


FAILING = frozenset({SwitchHealth.SILENT, SwitchHealth.REFUSED, SwitchHealth.FAILED})
_MAY_BE_LATE = frozenset({SwitchHealth.READ, SwitchHealth.PARTIAL})


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchCondition:
    """What a switch is judged by."""

    name: str
    interval: timedelta
    site: str = ""
    ageing: timedelta | None = None
    enabled: bool = True
    off_since: datetime | None = None
    """When it was turned off last."""
    last_outcome: SwitchHealth = SwitchHealth.READ
    """How the last try at reading it went; never LATE."""
    outcome_since: datetime | None = None
    error: str = ""
    address: str = ""
    """Host and port it is asked at; empty where nobody asks it over the network."""
    polled: bool = True
    """False: its readings are imported, when somebody brings them."""
    read_at: datetime | None = None
    """Its last complete reading."""
    bridge_address: MacAddress | None = None
    learning_discards: int | None = None
    discards_rose_at: datetime | None = None
    table_size: int | None = None
    """Addresses its table holds; None when not known."""
    present: int = 0
    ports_up: int = 0
    """Of a switch with an empty table, ports that could have filled it."""
    drift: timedelta | None = None
    """By how much its uptime ran ahead of our clock between its last two readings."""

    @property
    def late_since(self) -> datetime | None:
        """When it became, or becomes, late; None while it was never read."""
        return None if self.read_at is None else self.read_at + LATE_AFTER_INTERVALS * self.interval

    def is_late(self, now: datetime) -> bool:
        since = self.late_since
        return self.enabled and since is not None and now > since

    def is_current(self, now: datetime) -> bool:
        """Whether its latest table shows who is there now: it was read whole within three intervals."""
        return self.enabled and self.read_at is not None and not self.is_late(now)

    def health(self, now: datetime) -> SwitchHealth:
        if not self.enabled:
            return SwitchHealth.OFF  # also where a reading was on its way when it was turned off
        late = self.last_outcome in _MAY_BE_LATE and self.is_late(now)
        return SwitchHealth.LATE if late else self.last_outcome

    def health_since(self, now: datetime) -> datetime | None:
        match self.health(now):
            case SwitchHealth.OFF:
                return self.off_since
            case SwitchHealth.LATE:
                return self.late_since
            case _:
                return self.outcome_since

    def nearly_full(self, share: float = DEFAULT_TABLE_SHARE) -> bool:
        return bool(self.table_size) and self.present >= share * (self.table_size or 0)

    def discards_rising(self, now: datetime) -> bool:
        """Whether it lately could not learn addresses (dot1dTpLearnedEntryDiscards)."""
        rose = self.discards_rose_at
        return rose is not None and now - rose <= LATE_AFTER_INTERVALS * self.interval

    @property
    def ageing_too_short(self) -> bool:
        return self.polled and self.ageing is not None and self.interval > self.ageing

    @property
    def clock_is_off(self) -> bool:
        return self.drift is not None and abs(self.drift) > max(_DRIFT_LEAST, _DRIFT_SHARE * self.interval)

    @property
    def shows_nobody(self) -> bool:
        """Whether its table is empty though its links are up: some offer it one VLAN at a time alone."""
        return self.enabled and self.read_at is not None and not self.present and self.ports_up > 0


class Warned(StrEnum):
    TABLE_EMPTY = "table empty"
    TABLE_NEARLY_FULL = "table nearly full"
    DISCARDS_RISING = "discards rising"
    DISCARDS_BEFORE = "discards before"
    CLOCK_OFF = "clock off"
    AGEING_TOO_SHORT = "ageing too short"
    SAME_BRIDGE_ADDRESS = "same bridge address"
    SAME_ADDRESS = "same address"
    LATE = "late"
    OFF = "off"


@dataclass(frozen=True, slots=True)
class SwitchWarning:
    what: Warned
    condition: SwitchCondition
    others: tuple[str, ...] = ()
    """Switches that have the same, where it warns of that."""


def switch_warnings(
    condition: SwitchCondition,
    same_bridge: Mapping[MacAddress, Sequence[str]],
    now: datetime,
    table_share: float = DEFAULT_TABLE_SHARE,
    same_address: Mapping[str, Sequence[str]] = _NONE,
) -> Iterator[SwitchWarning]:
    """What is odd about a switch as it is set up and read. `same_bridge`: for each bridge address, the names
    of all switches that report it; `same_address`: of those that are asked at an address."""
    if condition.shows_nobody:
        yield SwitchWarning(Warned.TABLE_EMPTY, condition)
    if condition.nearly_full(table_share):
        yield SwitchWarning(Warned.TABLE_NEARLY_FULL, condition)
    if condition.learning_discards:
        rising = condition.discards_rising(now)
        yield SwitchWarning(Warned.DISCARDS_RISING if rising else Warned.DISCARDS_BEFORE, condition)
    if condition.clock_is_off:
        yield SwitchWarning(Warned.CLOCK_OFF, condition)
    if condition.ageing_too_short:
        yield SwitchWarning(Warned.AGEING_TOO_SHORT, condition)
    name, bridge = condition.name, condition.bridge_address
    twice = set(() if bridge is None else same_bridge.get(bridge, ())) - {name}
    if twice:
        yield SwitchWarning(Warned.SAME_BRIDGE_ADDRESS, condition, tuple(sorted(twice)))
    if others := set(same_address.get(condition.address, ())) - {name} - twice:
        yield SwitchWarning(Warned.SAME_ADDRESS, condition, tuple(sorted(others)))
    if condition.is_late(now):
        yield SwitchWarning(Warned.LATE, condition)
    if not condition.enabled and condition.read_at is not None:
        yield SwitchWarning(Warned.OFF, condition)
