"""What the tracker remembers of one switch: just enough to know what the next reading changes."""

from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import NamedTuple

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.reading import key_of
from kiteroll.core.model.stay import Stay
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint

RECENT = timedelta(hours=1)
"""How long it is kept when an address was learned: about two intervals of a switch that is seldom read."""
_AGEINGS_KEPT = 3


@dataclass(slots=True)
class AbsentStay:
    """An open stay whose address is not in the latest complete table."""

    stay: int
    port: str
    last_seen_at: datetime
    quiet_at: datetime | None
    """None while it is awaited after a restart."""


class OpenStay(NamedTuple):
    """An open stay as the tracker takes it up again; half a million of them are made at a start."""

    key: int
    """`key_of(mac, vlan)`."""
    stay: int
    port: str
    learned_at: datetime | None
    """When it was learned or came back, if that was lately or after the last complete reading."""
    last_seen_at: datetime | None
    """None while it is present."""
    quiet_at: datetime | None

    @classmethod
    def of(cls, stay: Stay) -> "OpenStay":
        key = key_of(stay.mac, stay.place.vlan)
        return cls(key, stay.id, stay.place.port, stay.resumed_at, stay.last_seen_at, stay.quiet_at)


@dataclass(slots=True)
class SwitchState:
    """Tables are plain dicts of ints, keyed by `key_of(mac, vlan)`, so that an unchanged table is
    recognised by one comparison in C. About 150 bytes an address that is present."""

    checkpoint: SwitchCheckpoint = field(default_factory=SwitchCheckpoint)
    names: dict[int, str] = field(default_factory=dict)
    """Port number to port name. Numbers below 0 stand for ports that are no longer there."""
    table: dict[int, int] = field(default_factory=dict)
    """Present addresses: key to port number."""
    stays: dict[int, int] = field(default_factory=dict)
    """Present addresses: key to stay id. Same keys as `table`."""
    missing: dict[int, AbsentStay] = field(default_factory=dict)
    fresh: dict[int, datetime] = field(default_factory=dict)
    """Present addresses that arrived in a partial reading since the last complete one, and when."""
    recent: dict[int, datetime] = field(default_factory=dict)
    """When addresses were learned, of those learned lately; in order of time."""

    ageings: deque[timedelta | None] = field(default_factory=lambda: deque(maxlen=_AGEINGS_KEPT))
    """Ageing times of the last readings."""

    def lasting_ageing(self, reported: timedelta | None) -> timedelta | None:
        """The longest of late: a topology change shortens it for some seconds (IEEE 802.1Q 8.8.3)."""
        self.ageings.append(reported)
        return self._ageing()

    def _ageing(self) -> timedelta | None:
        return max((one for one in self.ageings if one is not None), default=None)

    def copy_table(self) -> MacTable:
        read_at = self.checkpoint.last_complete_at
        return MacTable(dict(self.table), dict(self.names), dict(self.recent), read_at, self._ageing())

    def remove(self, key: int) -> AbsentStay:
        """An address is present no more: its open stay, awaited until somebody says otherwise."""
        seen = self.seen_until(key)
        self.fresh.pop(key, None)
        return AbsentStay(self.stays.pop(key), self.names[self.table.pop(key)], seen, None)

    def learned(self, key: int, at: datetime) -> None:
        self.recent.pop(key, None)
        self.recent[key] = at

    def forget_recent(self, before: datetime) -> None:
        while self.recent and next(iter(self.recent.values())) < before:
            del self.recent[next(iter(self.recent))]

    def seen_until(self, key: int) -> datetime:
        """When a present address was last known to be there."""
        at = self.fresh.get(key) or self.checkpoint.last_complete_at
        if at is None:
            raise AssertionError("a present address was seen in some reading")
        return at

    @classmethod
    def restore(
        cls,
        checkpoint: SwitchCheckpoint,
        names: Mapping[int, str],
        stays: Iterable[OpenStay],
        ageing: timedelta | None = None,
        first_at: datetime | None = None,
    ) -> "SwitchState":
        """Rebuild from the open stays of this switch and its ports as last read. `first_at`: of its first
        reading; who was in it may have been there for long."""
        state = cls(checkpoint=checkpoint, names=dict(names))
        if ageing is not None:
            state.ageings.append(ageing)
        numbers = {name: number for number, name in names.items()}
        complete_at = checkpoint.last_complete_at
        recent_from = None if checkpoint.last_at is None else checkpoint.last_at - RECENT
        recent: list[tuple[datetime, int]] = []
        for key, stay, port, learned_at, last_seen_at, quiet_at in stays:
            if last_seen_at is None:
                if port not in numbers:
                    numbers[port] = state.gone_number(port)
                state.table[key] = numbers[port]
                state.stays[key] = stay
            else:
                state.missing[key] = AbsentStay(stay, port, last_seen_at, quiet_at)
            if learned_at is None:
                continue
            if last_seen_at is None and (complete_at is None or learned_at > complete_at):
                state.fresh[key] = learned_at
            if recent_from is not None and learned_at >= recent_from and learned_at != first_at:
                recent.append((learned_at, key))
        state.recent = {key: at for at, key in sorted(recent)}
        return state

    def gone_number(self, name: str) -> int:
        """A number of our own for a port that the switch no longer has, but stays still name."""
        number = min((0, *self.names)) - 1
        self.names[number] = name
        return number

    def renumber(self, names: Mapping[int, str], *, whole: bool) -> None:
        """Take over the port numbers of a new reading: same name, same port, whatever its number.

        With `whole` false the reading may lack ports, and those known before stay known.
        """
        same = all(names.get(number) == name for number, name in self.names.items() if number > 0)
        if same and len(names) == len(self.names):
            return
        before = self.names
        self.names = dict(names)
        numbers = {name: number for number, name in names.items()}
        moved: dict[int, int] = {}
        for number, name in sorted(before.items()):
            if names.get(number) == name:
                continue
            if name in numbers:
                moved[number] = numbers[name]
            elif number < 0 or (not whole and number not in names):
                self.names[number] = name
            else:
                moved[number] = self.gone_number(name)
        used = moved.keys() & set(self.table.values())
        if used:
            for key, number in self.table.items():
                if number in used:
                    self.table[key] = moved[number]
        for unused in [n for n in self.names if n < 0 and n not in self.table.values()]:
            del self.names[unused]
