"""Makers of addresses: the operator's list from the store, over the registry that a library carries."""

from functools import lru_cache

import netaddr

from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import Assigned, Makers, assigned
from kiteroll.core.search import AddressIndex
from kiteroll.schemas.api import Maker
from kiteroll.store import makers
from kiteroll.store.database import Database


class MakerView:
    """Kept in memory: the list changes seldom and is asked for with every address shown."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self.now = Makers({}, registered)

    def reload(self) -> None:
        self.now = Makers(self._database.run(makers.all_makers), registered)

    def told(self, mac: MacAddress, index: AddressIndex) -> tuple[str, Assigned]:
        """Maker and where the address comes from, among the addresses known here."""
        maker = self.now.of(mac)
        return maker, assigned(mac, maker, alone=not index.shares_prefix(mac))

    def listed(self) -> list[Maker]:
        kept = self._database.run(makers.all_makers)
        return [Maker(prefix=prefix, maker=maker) for prefix, maker in kept.items()]


@lru_cache(maxsize=65_536)
def _registration(prefix: int) -> str:
    try:
        return str(netaddr.OUI(prefix).registration().org)
    except netaddr.core.NotRegisteredError:
        return ""


def registered(mac: MacAddress) -> str:
    """Who registered its first three octets with the IEEE (MA-L); empty when nobody did."""
    return _registration(mac >> 24)
