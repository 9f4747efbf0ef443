"""What is recorded of uplinks: their cables. What is behind each follows from all of them together.

In a network of N switches each cable has nearly all of them behind one of its ends. Written out, that is N
names for each uplink, and anew for all of them whenever one switch comes or goes.
"""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.reach import reach
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence, Topology


class Cable(StrEnum):
    OPEN = "open"
    CLOSED = "closed"
    """By spanning tree, at one of its ends."""
    TO_OTHER_AREA = "to another area"
    """Nothing is behind it but the switch at its far end."""


@dataclass(frozen=True, slots=True)
class UplinkRecord:
    adjacent: tuple[str, ...]
    cable: Cable
    evidence: RoleEvidence
    witnesses: tuple[str, ...]
    leads_to: tuple[str, ...] | None
    """None where it is what the cables of all uplinks lead to."""

    @property
    def leads_on(self) -> bool:
        """Whether more is behind it than what is at the far end of its cable."""
        return self.leads_to is None or len(self.leads_to) > len(self.adjacent)

    def same_way(self, other: "UplinkRecord | None") -> bool:
        """Whether both lead to the same switches; other evidence for it makes it no other uplink."""
        return other is not None and (self.adjacent, self.cable, self.leads_to) == (
            other.adjacent,
            other.cable,
            other.leads_to,
        )


def as_recorded(topology: Topology) -> dict[PortRef, UplinkRecord]:
    """Of every uplink."""
    written_out = {
        port: UplinkRecord(
            role.adjacent, _cable(topology, port, role), role.evidence, role.witnesses, role.leads_to
        )
        for port, role in topology.uplinks().items()
    }
    behind = _behind(written_out)
    return {
        port: replace(record, leads_to=None)
        if record.leads_on and behind.get(port) == set(record.leads_to or ())
        else record
        for port, record in written_out.items()
    }


def from_records(records: Mapping[PortRef, UplinkRecord]) -> dict[PortRef, PortRole]:
    """The roles these were recorded of, except for what is not recorded: who confirms them."""
    behind = _behind(records) if any(record.leads_to is None for record in records.values()) else {}
    return {
        port: PortRole(
            Role.UPLINK,
            record.evidence,
            record.witnesses,
            _in_order(record, behind.get(port, set())) if record.leads_to is None else record.leads_to,
            record.adjacent,
            closed=record.cable is Cable.CLOSED,
        )
        for port, record in records.items()
    }


def _in_order(record: UplinkRecord, behind: set[str]) -> tuple[str, ...]:
    """As in `PortRole.leads_to`."""
    return (*record.adjacent, *sorted(behind.difference(record.adjacent)))


def _cable(topology: Topology, port: PortRef, role: PortRole) -> Cable:
    if role.closed:
        return Cable.CLOSED
    area = topology.area_of(port[0])
    if role.adjacent and all(topology.area_of(other) != area for other in role.adjacent):
        return Cable.TO_OTHER_AREA
    return Cable.OPEN


def _behind(records: Mapping[PortRef, UplinkRecord]) -> dict[PortRef, set[str]]:
    """What is behind each port by the cables alone. Of several that lead to one switch, the one comes first
    that leads on."""
    ends: dict[str, list[tuple[PortRef, tuple[str, ...]]]] = defaultdict(list)
    for port, record in sorted(records.items(), key=lambda one: (not one[1].leads_on, one[0])):
        if record.cable is Cable.OPEN:
            ends[port[0]].append((port, record.adjacent))
    found = reach(ends)
    for port, behind in found.items():
        behind.update(records[port].adjacent)
    return found
