"""Uplinks that tables alone reveal, where neither LLDP nor bridge addresses do.

If two addresses are on one port of B but on different ports of A, then A is behind that port of B:
everything on B's other side would be on one port of A.
"""

from collections import Counter, defaultdict
from collections.abc import Mapping

from kiteroll.core.model.mac_table import MacTable, addresses_by_port
from kiteroll.core.model.port_ref import PortRef

_WITNESSES = 2
"""Addresses the other switch must have apart from the rest: one alone may have moved just now."""


def separated_switches(
    tables: Mapping[str, MacTable], decided: frozenset[PortRef]
) -> dict[PortRef, set[str]]:
    """Ports that are not `decided`, and the switches shown to be behind each by their tables."""
    candidates: dict[str, dict[int, PortRef]] = defaultdict(dict)
    for port, number, count in addresses_by_port(tables):
        if count > _WITNESSES and port not in decided:
            candidates[port[0]][number] = port
    holders = _held_twice(tables, candidates)
    counts: dict[tuple[PortRef, str], Counter[int]] = defaultdict(Counter)
    for switch, numbers in candidates.items():
        learned = tables[switch].learned
        for key in learned.keys() & holders.keys():
            if (number := learned[key]) in numbers:
                for other, there in holders[key]:
                    if other != switch:
                        counts[numbers[number], other][there] += 1
    found: dict[PortRef, set[str]] = defaultdict(set)
    for (port, other), ports in counts.items():
        if ports.total() - max(ports.values()) >= _WITNESSES:
            found[port].add(other)
    return found


def _held_twice(
    tables: Mapping[str, MacTable], candidates: Mapping[str, Mapping[int, PortRef]]
) -> dict[int, list[tuple[str, int]]]:
    """Where the addresses of candidate ports are, of those that several switches hold. Whole tables go
    through here, so what can be is done by set operations."""
    suspects: set[int] = set()
    for switch, numbers in candidates.items():
        suspects.update(key for key, number in tables[switch].learned.items() if number in numbers)
    once: set[int] = set()
    twice: set[int] = set()
    for table in tables.values():
        here = table.learned.keys() & suspects
        twice |= once & here
        once |= here
    holders: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for switch, table in tables.items():
        for key in table.learned.keys() & twice:
            holders[key].append((switch, table.learned[key]))
    return holders
