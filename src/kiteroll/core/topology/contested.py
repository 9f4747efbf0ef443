"""What live findings say is here and there: no home of it is more than doubtful."""

from dataclasses import dataclass

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.sighting import Sighting


@dataclass(frozen=True, slots=True)
class Contested:
    macs: frozenset[tuple[str, MacAddress]] = frozenset()
    """Each with its area."""
    ports: frozenset[PortRef] = frozenset()
    """Where addresses are learned that are at home elsewhere, as at the ends of a loop."""

    def holds(self, one: Sighting) -> bool:
        return (one.area, one.stay.mac) in self.macs or one.port in self.ports


NOTHING_CONTESTED = Contested()
