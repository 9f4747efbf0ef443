"""The roll: addresses, and prefixes of addresses, that are authorised or barred."""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import ADDRESS_DIGITS
from kiteroll.core.policy.levels import EVERYTHING, Level


def prefix_text(digits: str) -> str:
    """02:1a:05, as people read it."""
    return ":".join(digits[at : at + 2] for at in range(0, len(digits), 2))


@dataclass(frozen=True, slots=True)
class Enrolled:
    """An address, or every address with a prefix, that is authorised."""

    prefix: str
    """6 to 12 lower-case hex digits."""
    vlan: int | None = None
    """None: in any VLAN."""
    expires_at: datetime | None = None
    """From then on it authorises nobody."""
    level: Level = EVERYTHING
    """Whose roll it is on."""
    note: str = ""
    owner: str = ""
    number: int = field(default=0, compare=False)
    """In the records; 0 where there are none."""

    @property
    def is_address(self) -> bool:
        """Whether it is one whole address."""
        return len(self.prefix) == ADDRESS_DIGITS

    @property
    def mac(self) -> MacAddress | None:
        """None for a prefix."""
        return MacAddress(int(self.prefix, 16)) if self.is_address else None

    def covers(self, mac: MacAddress, vlan: int | None) -> bool:
        """As long as it has not expired."""
        return (self.vlan is None or self.vlan == vlan) and mac.digits.startswith(self.prefix)

    def expired(self, now: datetime) -> bool:
        return self.expires_at is not None and self.expires_at <= now

    def __str__(self) -> str:
        digits = prefix_text(self.prefix)
        return digits if self.vlan is None else f"{digits} in VLAN {self.vlan}"


_BITS = 48
_BITS_A_DIGIT = 4


def _shift(prefix: str) -> int:
    """By how many bits an address is shifted right to be compared with a prefix."""
    return _BITS - _BITS_A_DIGIT * len(prefix)


class Roll:
    """Entries with an index: asked about every address of every table."""

    __slots__ = ("_by_prefix", "entries", "plain")

    def __init__(self, entries: Iterable[Enrolled] = ()) -> None:
        self.entries = tuple(dict.fromkeys(entries))
        self._by_prefix: dict[int, dict[int, list[Enrolled]]] = {}
        """By shift, the longest prefixes first, and by the prefix as a number."""
        for entry in sorted(self.entries, key=lambda one: _shift(one.prefix)):
            of_length = self._by_prefix.setdefault(_shift(entry.prefix), defaultdict(list))
            of_length[int(entry.prefix, 16)].append(entry)
        self.plain = tuple(
            (shift, frozenset(number for number, several in numbers.items() if _authorises_ever(several)))
            for shift, numbers in self._by_prefix.items()
        )
        """What is enrolled in any VLAN and for good: `mac >> shift` in the set means that `entry` has one."""

    def entry(self, mac: int, vlan: int | None, now: datetime) -> Enrolled | None:
        """The one that authorises the address, the longest first."""
        for shift, by_number in self._by_prefix.items():
            for entry in by_number.get(mac >> shift, ()):
                if (entry.vlan is None or entry.vlan == vlan) and not entry.expired(now):
                    return entry
        return None

    def __iter__(self) -> Iterator[Enrolled]:
        return iter(self.entries)

    def __len__(self) -> int:
        return len(self.entries)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Roll) and self.entries == other.entries

    def __hash__(self) -> int:
        return hash(self.entries)

    def __repr__(self) -> str:
        return f"Roll({self.entries!r})"


def _authorises_ever(entries: Iterable[Enrolled]) -> bool:
    return any(one.vlan is None and one.expires_at is None for one in entries)


@dataclass(frozen=True, slots=True)
class Barred:
    """An address, or every address with a prefix, that must appear nowhere."""

    prefix: str
    reason: str = ""
    expires_at: datetime | None = None

    def expired(self, now: datetime) -> bool:
        return self.expires_at is not None and self.expires_at <= now

    def __str__(self) -> str:
        return prefix_text(self.prefix)


class BarredList:
    """Addresses and prefixes that must appear nowhere, with an index."""

    __slots__ = ("_by_prefix", "entries")

    def __init__(self, entries: Iterable[Barred] = ()) -> None:
        self.entries = tuple(entries)
        self._by_prefix: dict[int, dict[int, Barred]] = {}
        for entry in sorted(self.entries, key=lambda one: _shift(one.prefix)):
            self._by_prefix.setdefault(_shift(entry.prefix), {})[int(entry.prefix, 16)] = entry

    def entry(self, mac: int, now: datetime) -> Barred | None:
        """The one that bars the address, the longest first."""
        for shift, by_number in self._by_prefix.items():
            entry = by_number.get(mac >> shift)
            if entry is not None and not entry.expired(now):
                return entry
        return None

    def __len__(self) -> int:
        return len(self.entries)
