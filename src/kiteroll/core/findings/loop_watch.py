"""At which switch a loop is told: what circulates pulls addresses on every switch it passes."""

from collections import defaultdict
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.kinds.loop import LoopSigns
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import Topology

_PATIENCE = timedelta(minutes=2)
"""For readings of the switches behind an uplink: the loop may be there."""


@dataclass(frozen=True, slots=True)
class ToldLoop:
    signs: LoopSigns
    macs: Collection[MacAddress]
    """Every address it touched so far."""
    ports: Collection[PortRef]
    """Every port at which it showed."""


class LoopWatch:
    """Signs of a loop by switch, the latest of each."""

    def __init__(self, window: timedelta) -> None:
        self._window = window
        self._signs: dict[str, LoopSigns] = {}
        self._read_at: dict[str, datetime] = {}
        self._named: dict[str, set[MacAddress]] = {}
        self._untold: set[str] = set()
        self._told: set[str] = set()
        """Where a loop was told that still shows."""
        self._ports: dict[str, set[PortRef]] = defaultdict(set)
        """Of loops that were told, every port at which they showed, on any switch."""

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

    def due(self, topology: Topology, now: datetime) -> Iterator[ToldLoop]:
        """What is to be told now."""
        for switch in [one for one, found in self._signs.items() if now - found.last_at > self._window]:
            del self._signs[switch]
            self._named.pop(switch, None)
            self._ports.pop(switch, None)
            self._untold.discard(switch)
            self._told.discard(switch)
        for switch in sorted(self._untold, key=lambda one: (-len(self._signs[one].macs), one)):
            found = self._signs[switch]
            if switch not in self._told and (told := self._told_of(found)) is not None:
                # Both ends of a second cable show it: what it touched here is part of it as well.
                self._untold.discard(switch)
                self._named[told] |= self._named[switch]
                self._ports[told] |= found.places
                continue
            behind = self._behind(found, topology)
            if any(self._is_nearer(other, found, topology) for other in behind):
                self._untold.discard(switch)
            elif all(self._read_at.get(one, found.first_at) > found.first_at for one in behind) or (
                now - found.first_at > _PATIENCE
            ):
                self._untold.discard(switch)
                self._told.add(switch)
                self._ports[switch] |= found.places
                yield ToldLoop(found, self._named[switch], self._ports[switch])

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for switch in self._read_at.keys() - set(switches):
            for kept in (self._read_at, self._signs, self._named, self._ports):
                kept.pop(switch, None)
            self._untold.discard(switch)
            self._told.discard(switch)

    def _told_of(self, found: LoopSigns) -> str | None:
        """Where the same loop was told already, which most of its addresses show."""
        return next(
            (one for one in self._told if 2 * len(found.macs & self._named[one]) >= len(found.macs)), None
        )

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
