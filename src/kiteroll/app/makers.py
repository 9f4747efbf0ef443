"""Makers of addresses: the operator's prefixes from the store, then the IEEE registry a library carries."""

from collections.abc import Callable, Mapping
from functools import lru_cache

import netaddr

from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import AddressOrigin, Makers, address_origin, parse_prefix
from kiteroll.core.search.address_index import AddressIndex
from kiteroll.store import makers
from kiteroll.store.database import Database


class MakerDirectory:
    """Kept in memory: the list changes seldom and is needed with every address shown."""

    def __init__(self, database: Database, index: Callable[[], AddressIndex]) -> None:
        """`index`: the addresses known now."""
        self._database = database
        self._index = index
        self._makers = Makers({}, registered)

    def reload(self) -> None:
        """Raises StorageUnavailable."""
        self._makers = Makers(self._database.run(makers.all_makers), registered)

    def maker_of(self, mac: MacAddress) -> tuple[str, AddressOrigin]:
        """Maker and origin of an address."""
        maker = self._makers.of(mac)
        return maker, address_origin(mac, maker, alone=not self._index().shares_prefix(mac))

    def macs_by_maker(self, text: str, limit: int) -> list[MacAddress]:
        """Addresses under the operator's own prefixes of makers whose name holds `text`."""
        index = self._index()
        prefixes = self._makers.prefixes_of(text)
        return [mac for prefix in prefixes for mac in index.beginning(prefix, limit)][:limit]

    def own_prefixes(self) -> Mapping[str, str]:
        return self._database.run(makers.all_makers)

    def own_prefix(self, given: str) -> tuple[str, str]:
        """One of them, as hex digits, and its maker. Raises Invalid, or NotFound."""
        prefix, known = parse_prefix(given), self.own_prefixes()
        if prefix not in known:
            raise NotFound("prefix", given, "`kiteroll maker list` shows those there are")
        return prefix, known[prefix]

    def add(self, prefixes: Mapping[str, str]) -> None:
        """Add or replace prefixes, as hex digits. Raises StorageUnavailable."""
        self._database.run(makers.save_makers, prefixes)
        self.reload()

    def remove(self, prefix: str) -> bool:
        """Whether it was there."""
        removed = self._database.run(makers.remove_maker, prefix)
        self.reload()
        return removed


@lru_cache(maxsize=65_536)
def _registration(prefix: int) -> str:
    try:
        return str(netaddr.OUI(prefix).registration().org)
    except netaddr.core.NotRegisteredError:
        return ""


def registered(mac: MacAddress) -> str:
    """Who registered its first three octets with the IEEE (MA-L); empty when unregistered."""
    return _registration(mac >> 24)
