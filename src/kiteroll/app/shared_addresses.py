"""Addresses that several devices use by design: nothing about them is a finding."""

from collections.abc import Mapping

from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.makers import first_digits
from kiteroll.store import finding_inputs
from kiteroll.store.database import Database

_ADDRESS_DIGITS = 12


class SharedAddresses:
    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> Mapping[str, str]:
        """Address or prefix, as hex digits, to the reason."""
        return self._database.run(finding_inputs.shared_addresses)

    def set(self, address: str, reason: str) -> None:
        """Add or change one. Raises Invalid for what is neither an address nor a prefix."""
        self._database.run(finding_inputs.save_shared, _digits(address), reason)

    def remove(self, address: str) -> None:
        """Raises Invalid, or NotFound."""
        if not self._database.run(finding_inputs.remove_shared, _digits(address)):
            raise NotFound("shared address", address, "`kiteroll shared list` shows those there are")


def _digits(text: str) -> str:
    """6 to 12 hex digits."""
    digits = first_digits(text, _ADDRESS_DIGITS)
    if digits is None:
        raise Invalid(f"{text!r} is neither an address nor a prefix: 6 to 12 hex digits")
    return digits
