"""At which switch a loop is reported: what circulates pulls addresses on every switch it passes."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.core.findings.kinds.loop import LoopSigns
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import Topology

_PATIENCE = timedelta(minutes=2)
"""For readings of the switches behind an uplink: the loop may be there."""


@dataclass(frozen=True, slots=True)
class ReportedLoop:
    signs: LoopSigns
    macs: Collection[MacAddress]
    """Every address it touched so far."""
    ports: Collection[PortRef]
    """Every port at which it showed, on any switch."""
    last_at: datetime
    """When it showed last, on any switch."""


@dataclass(slots=True)
class _Seen:
    """What was seen of a loop at one switch; once it was reported there, on the others as well."""

    signs: LoopSigns
    macs: set[MacAddress]
    last_at: datetime
    ports: set[PortRef] = field(default_factory=set)
    reported: bool = False

    def add(self, signs: LoopSigns) -> None:
        self.macs |= signs.touched
        self.last_at = max(self.last_at, signs.last_at)


class LoopWatch:
    """Signs of a loop by switch, the latest of each."""

    def __init__(self, window: timedelta) -> None:
        self._window = window
        self._seen: dict[str, _Seen] = {}
        self._read_at: dict[str, datetime] = {}
        self._new: set[str] = set()
        """Switches whose latest signs were not judged yet."""

    @property
    def reported(self) -> bool:
        """Whether a loop was reported that still shows somewhere."""
        return any(one.reported for one in self._seen.values())

    def note(self, switch: str, found: LoopSigns | None, at: datetime) -> None:
        """A reading of the switch, and the signs of the minutes before it."""
        self._read_at[switch] = at
        if found is None:
            return
        seen = self._seen.setdefault(switch, _Seen(found, set(), found.last_at))
        seen.signs = found
        seen.add(found)
        self._new.add(switch)

    def shows(self, switch: str) -> bool:
        """Whether it showed signs in the last minutes."""
        return switch in self._seen

    def due(self, topology: Topology, now: datetime) -> Iterator[ReportedLoop]:
        """What is to be reported now."""
        for switch in [one for one, seen in self._seen.items() if now - seen.last_at > self._window]:
            self._drop(switch)
        due: dict[str, None] = {}
        for switch in sorted(self._new, key=lambda one: (-len(self._seen[one].signs.macs), one)):
            if (where := self._reported_at(switch, topology, now)) is not None:
                due[where] = None
        for switch in due:
            seen = self._seen[switch]
            yield ReportedLoop(seen.signs, seen.macs, seen.ports, seen.last_at)

    def _reported_at(self, switch: str, topology: Topology, now: datetime) -> str | None:
        """At which switch the new signs of this one are to be reported."""
        seen = self._seen[switch]
        found = seen.signs
        if not seen.reported and (where := self._reported_already_at(found)) is not None:
            # Both ends of a second cable show it: what it touched here is part of it as well.
            self._new.discard(switch)
            self._seen[where].add(found)
            self._seen[where].macs |= seen.macs
            self._seen[where].ports |= found.places
            return where
        if found.weak and not seen.reported:
            self._drop(switch)
            return None
        behind = self._behind(found, topology)
        if any(self._is_nearer(other, found, topology) for other in behind):
            self._new.discard(switch)
            return None
        read = all(self._read_at.get(one, found.first_at) > found.first_at for one in behind)
        if not read and now - found.first_at <= _PATIENCE:
            return None
        self._new.discard(switch)
        seen.reported = True
        seen.ports |= found.places
        return switch

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for switch in self._read_at.keys() - set(switches):
            del self._read_at[switch]
            self._drop(switch)

    def _drop(self, switch: str) -> None:
        self._seen.pop(switch, None)
        self._new.discard(switch)

    def _reported_already_at(self, found: LoopSigns) -> str | None:
        """Where the same loop was reported already, which most of its addresses show."""
        shared = {name: len(found.macs & one.macs) for name, one in self._seen.items() if one.reported}
        return next((name for name, count in shared.items() if 2 * count >= len(found.macs)), None)

    def _behind(self, found: LoopSigns, topology: Topology) -> tuple[str, ...]:
        """Switches that the port leads to where most addresses are pulled."""
        role = topology.role((found.switch, found.ports[0]))
        return role.leads_to if role.is_uplink else ()

    def _is_nearer(self, other: str, found: LoopSigns, topology: Topology) -> bool:
        """Whether that switch shows the loop too, and does not point back here with fewer addresses."""
        seen = self._seen.get(other)
        if seen is None or (seen.signs.weak and not seen.reported):
            return False
        there = seen.signs
        if found.switch not in self._behind(there, topology):
            return True
        return (len(there.macs), there.switch) > (len(found.macs), found.switch)
