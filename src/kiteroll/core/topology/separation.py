"""Uplinks that tables alone reveal, where neither LLDP nor bridge addresses do.

If two addresses are on one port of B but on different ports of A, then A is behind that port of B:
everything on B's other side would be on one port of A. That holds only for what stands still: an address
counts once every switch that has it was read completely after the last of them learned it.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable, addresses_by_port
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import MAC_MASK
from kiteroll.core.model.shared_addresses import is_shared

_WITNESSES = 2
"""Addresses the other switch must have apart from the rest: one alone may have moved just now."""
_SAMPLE = 3
"""Addresses of a port that are looked for on other switches: more would say the same again."""

Samples = Mapping[int, list[tuple[str, int]]]
"""Addresses, and the switches and port numbers they stand for."""
Places = Mapping[int, int]
"""Address to port number on one switch, whatever the VLAN: some switches report none. Plain integers, for
whole tables go through here."""


def separated_switches(
    tables: Mapping[str, MacTable], decided: frozenset[PortRef], shared: Collection[str] = ()
) -> dict[PortRef, set[str]]:
    """Ports that are not `decided`, and the switches shown to be behind each by their tables. `shared`:
    prefixes of addresses that several devices have by design."""
    candidates: dict[str, dict[int, PortRef]] = defaultdict(dict)
    for port, number, count in addresses_by_port(tables):
        if count > _WITNESSES and port not in decided:
            candidates[port[0]][number] = port
    if not candidates:
        return {}
    places = {switch: _places(table) for switch, table in tables.items()}
    samples = _samples(places, _held_twice(places.values()) - _restless(tables, places), shared)
    found: dict[PortRef, set[str]] = {}
    for switch, numbers in candidates.items():
        for number, others in _shown_behind(switch, places[switch], samples, numbers.keys()).items():
            if others:
                found[numbers[number]] = others
    return found


def _shown_behind(
    switch: str, here: Places, samples: Samples, candidates: Collection[int]
) -> dict[int, set[str]]:
    """Candidate ports of a switch, and the switches that have addresses of each on different ports. The hot
    loop of it all: what is shown is not counted further."""
    counts: dict[int, dict[str, dict[int, int]]] = {number: {} for number in candidates}
    shown: dict[int, set[str]] = {number: set() for number in candidates}
    for mac in here.keys() & samples.keys():
        number = here[mac]
        if number not in counts:
            continue
        by_switch, done = counts[number], shown[number]
        for other, there in samples[mac]:
            if other in done or other == switch:
                continue
            ports = by_switch.get(other)
            if ports is None:
                by_switch[other] = {there: 1}
                continue
            ports[there] = ports.get(there, 0) + 1
            if len(ports) > 1 and sum(ports.values()) - max(ports.values()) >= _WITNESSES:
                done.add(other)
    return shown


def _places(table: MacTable) -> dict[int, int]:
    """An address on different ports in two VLANs says nothing, and is left out."""
    places = {key & MAC_MASK: number for key, number in table.learned.items()}
    if len(places) < len(table.learned):
        for key, number in table.learned.items():
            if places.get(mac := key & MAC_MASK, number) != number:
                del places[mac]
    return places


def _held_twice(places: Iterable[Places]) -> set[int]:
    once: set[int] = set()
    twice: set[int] = set()
    for here in places:
        twice.update(once.intersection(here))
        once.update(here)  # `|=` with the keys of a dict would copy all that is known, for each switch
    return twice


def _restless(tables: Mapping[str, MacTable], places: Mapping[str, Places]) -> set[int]:
    """Addresses that some switch learned after another that has them was read last."""
    learned_at: dict[int, datetime] = {}
    for table in tables.values():
        for key, at in table.recent.items():
            mac = key & MAC_MASK
            learned_at[mac] = max(at, learned_at.get(mac, at))
    return {
        mac
        for switch, here in places.items()
        for mac in here.keys() & learned_at.keys()
        if (read_at := tables[switch].read_at) is None or read_at < learned_at[mac]
    }


def _samples(places: Mapping[str, Places], held: set[int], shared: Collection[str]) -> Samples:
    """A few addresses of each port, spread over all it has, with the switches and ports they stand for."""
    samples: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for switch, here in places.items():
        by_port: dict[int, list[int]] = defaultdict(list)
        for mac in here.keys() & held:
            by_port[here[mac]].append(mac)
        for number, macs in by_port.items():
            for mac in _spread(sorted(macs)):
                if not is_shared(MacAddress(mac), shared):
                    samples[mac].append((switch, number))
    return samples


def _spread(macs: list[int]) -> list[int]:
    if len(macs) <= _SAMPLE:
        return macs
    return [macs[at * (len(macs) - 1) // (_SAMPLE - 1)] for at in range(_SAMPLE)]
