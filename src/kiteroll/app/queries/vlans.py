"""VLANs across switches."""

from kiteroll.store import vlans
from kiteroll.store.database import Database
from kiteroll.store.vlans import VlanPort, VlanRow

__all__ = ["VlanPort", "VlanQueries", "VlanRow"]


class VlanQueries:
    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[VlanRow]:
        return self._database.run(vlans.all_vlans)

    def ports_of(self, number: int) -> list[VlanPort]:
        """Ports that carry a VLAN."""
        return self._database.run(vlans.ports_of_vlan, number)
