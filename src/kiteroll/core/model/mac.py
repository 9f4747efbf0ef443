"""MAC addresses: the value, the notations people write it in, and fragments of it."""

import re
from dataclasses import dataclass
from typing import Self

from kiteroll.core.errors import BadAddress

_USUAL = re.compile(r"(?:[0-9a-f]{2}:){5}[0-9a-f]{2}")
_DIGITS = re.compile(r"[0-9a-fA-F]+")
_SEPARATORS = re.compile(r"[:\-. ]")
GROUP_BIT = 1 << 40
"""Of an address that several stations have (I/G bit, IEEE 802-2014 8.2.2)."""
_LOCAL_BIT = 1 << 41


class MacAddress(int):
    """A 48-bit IEEE 802 address as an integer, first octet in the highest byte.

    It *is* an int, so half a million of them in sets and dicts cost no more than ints do;
    only its text differs: `str()` gives aa:bb:cc:dd:ee:ff.
    """

    __slots__ = ()

    def __new__(cls, value: int) -> Self:
        if not 0 <= value < 1 << 48:
            raise BadAddress(hex(value), "an address has 48 bits")
        return super().__new__(cls, value)

    @classmethod
    def parse(cls, text: str) -> Self:
        """Read any common notation of a whole address.

        aa:bb:cc:dd:ee:ff, aa-bb-cc-dd-ee-ff, aabb.ccdd.eeff, aabbcc-ddeeff, aabbccddeeff,
        0xaabbccddeeff, with blanks between octets, in either case, and octets without their
        leading zero where separators make them plain (0:1a:2:b3:4:c5).

        Raises BadAddress (the writer's fault) saying what is wrong.
        """
        if _USUAL.fullmatch(text):
            return cls(int(text.replace(":", ""), 16))
        digits = _digits(text, whole=True)
        if len(digits) != 12:
            raise BadAddress(text, f"it has {len(digits)} hexadecimal digits, not 12")
        return cls(int(digits, 16))

    @classmethod
    def of_octets(cls, octets: bytes) -> Self:
        """The address in six octets as they stand on the wire. Raises BadAddress otherwise."""
        if len(octets) != 6:
            raise BadAddress(octets.hex(), f"it has {len(octets)} octets, not 6")
        return cls(int.from_bytes(octets, "big"))

    @property
    def digits(self) -> str:
        """Twelve lower-case hexadecimal digits, no separators."""
        return f"{int(self):012x}"

    @property
    def is_group(self) -> bool:
        """Multicast or broadcast (I/G bit, IEEE 802-2014 8.2.2): never an endpoint."""
        return bool(self & GROUP_BIT)

    @property
    def is_local(self) -> bool:
        """Locally administered (U/L bit): its first octets name no registered maker."""
        return bool(self & _LOCAL_BIT)

    @property
    def is_universal(self) -> bool:
        return not self.is_local

    def __str__(self) -> str:
        return self.to_bytes(6, "big").hex(":")

    def __repr__(self) -> str:
        return f"MacAddress.parse({str(self)!r})"


@dataclass(frozen=True, slots=True)
class Fragment:
    """Part of an address as somebody holds it: 1 to 12 hexadecimal digits in a row."""

    digits: str

    @classmethod
    def parse(cls, text: str) -> Self:
        """Read a fragment in any notation; raises BadAddress when it is none.

        Separators are dropped. A group in the middle that lacks its leading zero gets it back
        ("a:1:b2" holds a01b2); the first and last group stay as typed, for they may be cut off.
        """
        digits = _digits(text, whole=False)
        if len(digits) > 12:
            raise BadAddress(text, f"it has {len(digits)} hexadecimal digits, more than an address")
        return cls(digits)

    @property
    def is_whole(self) -> bool:
        return len(self.digits) == 12

    def matches(self, mac: MacAddress) -> bool:
        return self.digits in mac.digits


def _digits(text: str, *, whole: bool) -> str:
    stripped = text.strip()
    if stripped[:2].lower() == "0x":
        stripped = stripped[2:]
    groups = [group for group in _SEPARATORS.split(stripped) if group]
    if not groups:
        raise BadAddress(text, "it is empty")
    for group in groups:
        if not _DIGITS.fullmatch(group):
            odd = next(sign for sign in group if not _DIGITS.fullmatch(sign))
            raise BadAddress(text, f"{odd!r} is not a hexadecimal digit or a separator (: - . blank)")
    if len(groups) == 1:
        return groups[0].lower()
    width = _group_width(text, groups)
    last = len(groups) - 1
    padded = [
        group if not whole and at in (0, last) else group.rjust(width, "0") for at, group in enumerate(groups)
    ]
    return "".join(padded).lower()


def _group_width(text: str, groups: list[str]) -> int:
    """Digits a full group has in this notation: 2, 4 or 6."""
    longest = max(len(group) for group in groups)
    for width in (2, 4, 6):
        if longest <= width:
            return width
    raise BadAddress(text, "its groups are longer than 6 digits; write it without separators")
