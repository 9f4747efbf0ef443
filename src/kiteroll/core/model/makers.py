"""Whose address it is, as far as the address itself shows."""

from collections.abc import Callable, Mapping
from enum import StrEnum

from kiteroll.core.errors import Invalid
from kiteroll.core.model.mac import MacAddress

SHORTEST, LONGEST = 6, 11
"""Hex digits of a prefix: 24 bits (MA-L) up to what still leaves an address or sixteen."""
ADDRESS_DIGITS = 12


class AddressOrigin(StrEnum):
    """Where an address comes from (IEEE 802, clause 8.2: the U/L bit)."""

    REGISTRY = "registry"
    """Universally administered: its maker has the prefix from the IEEE."""
    LOCAL = "local"
    """Locally administered, under a prefix that others share or the operator knows."""
    RANDOM = "likely random"
    """Locally administered and alone with its prefix: as devices make that change their address."""


def parse_prefix(text: str) -> str:
    """A prefix as lower-case hex digits. Raises Invalid."""
    digits = first_digits(text, LONGEST)
    if digits is None:
        raise Invalid(
            f"{text!r} is no prefix: {SHORTEST} to {LONGEST} hex digits, what addresses begin with (02:1a:01)"
        )
    return digits


def parse_address_or_prefix(text: str) -> str:
    """An address, or what addresses begin with, as lower-case hex digits. Raises Invalid."""
    digits = first_digits(text, ADDRESS_DIGITS)
    if digits is None:
        raise Invalid(
            f"{text!r} is neither an address nor a prefix: {SHORTEST} to {ADDRESS_DIGITS} hex digits"
        )
    return digits


def first_digits(text: str, longest: int) -> str | None:
    """What addresses begin with, in any notation, as SHORTEST to `longest` lower-case hex digits."""
    digits = text.strip().lower().translate(str.maketrans("", "", ":-. "))
    fits = SHORTEST <= len(digits) <= longest and all(sign in "0123456789abcdef" for sign in digits)
    return digits if fits else None


class Makers:
    """The operator's own prefixes, longest first, over the registered ones."""

    def __init__(self, own: Mapping[str, str], registered: Callable[[MacAddress], str]) -> None:
        """`own`: prefix, as `parse_prefix` gives it, to maker. `registered`: maker or empty."""
        self._own = dict(own)
        self._lengths = sorted({len(prefix) for prefix in own}, reverse=True)
        self._registered = registered

    def of(self, mac: MacAddress) -> str:
        """The maker's name; empty when none is known."""
        digits = mac.digits
        for length in self._lengths:
            if maker := self._own.get(digits[:length]):
                return maker
        return "" if mac.is_local else self._registered(mac)

    def prefixes_of(self, text: str) -> list[str]:
        """Own prefixes of makers whose name holds `text`, whatever the case."""
        wanted = text.lower()
        return [prefix for prefix, maker in self._own.items() if wanted in maker.lower()]


def address_origin(mac: MacAddress, maker: str, *, alone: bool) -> AddressOrigin:
    """`alone`: no other known address has its first three octets."""
    if not mac.is_local:
        return AddressOrigin.REGISTRY
    return AddressOrigin.RANDOM if alone and not maker else AddressOrigin.LOCAL
