"""The MAC address table of one switch, packed so that whole tables compare at C speed."""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.core.model.port_ref import PortRef


@dataclass(frozen=True, slots=True)
class MacTable:
    """Addresses present on one switch."""

    learned: Mapping[int, int] = field(default_factory=dict)
    """`key_of(mac, vlan)` to port number."""
    names: Mapping[int, str] = field(default_factory=dict)
    """Port number to port name."""
    recent: Mapping[int, datetime] = field(default_factory=dict)
    """When keys were learned, of those that were learned lately."""
    read_at: datetime | None = None
    """Last complete reading."""
    ageing: timedelta | None = None
    """For how long the switch keeps an address, as it reported of late."""


def addresses_by_port(tables: Mapping[str, MacTable]) -> Iterator[tuple[PortRef, int, int]]:
    """Each port with at least one address: the port, its number, and how many addresses it has."""
    for switch, table in tables.items():
        for number, count in Counter(table.learned.values()).items():
            if number in table.names:
                yield (switch, table.names[number]), number, count
