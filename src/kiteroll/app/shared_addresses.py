"""Addresses that several devices use by design: nothing about them is a finding."""

from collections.abc import Mapping

from kiteroll.app.events import EventBus, RulesChanged
from kiteroll.core.errors import NotFound
from kiteroll.core.model.makers import parse_address_or_prefix
from kiteroll.store import finding_inputs
from kiteroll.store.database import Database


class SharedAddresses:
    def __init__(self, database: Database, bus: EventBus) -> None:
        self._database = database
        self._bus = bus

    def all(self) -> Mapping[str, str]:
        """Address or prefix, as hex digits, to the reason."""
        return self._database.run(finding_inputs.shared_addresses)

    def get(self, address: str) -> tuple[str, str]:
        """One by address or prefix, as hex digits, and its reason. Raises Invalid, or NotFound."""
        prefix, known = parse_address_or_prefix(address), self.all()
        if prefix not in known:
            raise _not_there(address)
        return prefix, known[prefix]

    def set(self, address: str, reason: str) -> None:
        """Add or change one. Raises Invalid for what is neither an address nor a prefix."""
        self._database.run(finding_inputs.save_shared, parse_address_or_prefix(address), reason)
        self._bus.publish(RulesChanged())

    def remove(self, address: str) -> None:
        """Raises Invalid, or NotFound."""
        if not self._database.run(finding_inputs.remove_shared, parse_address_or_prefix(address)):
            raise _not_there(address)
        self._bus.publish(RulesChanged())


def _not_there(address: str) -> NotFound:
    return NotFound("shared address", address, "`kiteroll shared list` shows those there are")
