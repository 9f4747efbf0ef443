"""At which switch a loop is told: what circulates pulls addresses on every switch it passes."""

from collections.abc import Collection, Iterator
from datetime import datetime, timedelta

from kiteroll.core.findings.kinds.loop import LoopSigns
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.topology.roles import Topology

_PATIENCE = timedelta(minutes=2)
"""For readings of the switches behind an uplink: the loop may be there."""


class LoopWatch:
    """Signs of a loop by switch, the latest of each."""

    def __init__(self, window: timedelta) -> None:
        self._window = window
        self._signs: dict[str, LoopSigns] = {}
        self._read_at: dict[str, datetime] = {}
        self._named: dict[str, set[MacAddress]] = {}
        self._untold: set[str] = set()

    def note(self, switch: str, found: LoopSigns | None, at: datetime) -> None:
        """A reading of the switch, and the signs of the minutes before it."""
        self._read_at[switch] = at
        if found is not None:
            self._signs[switch] = found
            self._named.setdefault(switch, set()).update(found.touched)
            self._untold.add(switch)

    def shows(self, switch: str) -> bool:
        """Whether it showed signs in the last minutes."""
        return switch in self._signs

    def due(self, topology: Topology, now: datetime) -> Iterator[tuple[LoopSigns, Collection[MacAddress]]]:
        """Signs that are to be told now, each with every address of that loop so far."""
        for switch in [one for one, found in self._signs.items() if now - found.last_at > self._window]:
            del self._signs[switch]
            self._named.pop(switch, None)
            self._untold.discard(switch)
        for switch in sorted(self._untold):
            found = self._signs[switch]
            behind = self._behind(found, topology)
            if any(self._is_nearer(other, found, topology) for other in behind):
                self._untold.discard(switch)
            elif all(self._read_at.get(one, found.first_at) > found.first_at for one in behind) or (
                now - found.first_at > _PATIENCE
            ):
                self._untold.discard(switch)
                yield found, self._named[switch]

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for switch in self._read_at.keys() - set(switches):
            for kept in (self._read_at, self._signs, self._named):
                kept.pop(switch, None)
            self._untold.discard(switch)

    def _behind(self, found: LoopSigns, topology: Topology) -> tuple[str, ...]:
        """Switches that the port leads to where most addresses are pulled."""
        role = topology.role((found.switch, found.ports[0]))
        return role.leads_to if role.is_uplink else ()

    def _is_nearer(self, other: str, found: LoopSigns, topology: Topology) -> bool:
        """Whether that switch shows the loop too, and does not point back here with fewer addresses."""
        there = self._signs.get(other)
        if there is None:
            return False
        if found.switch not in self._behind(there, topology):
            return True
        return (len(there.macs), there.switch) > (len(found.macs), found.switch)
