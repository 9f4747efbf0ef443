"""What inferring the roles of ports costs: from tables alone, and from neighbours."""

import random
import time
from collections import defaultdict
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Device, Neighbour, Oper, Port, Reading, key_of
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.cables import as_recorded
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts, infer

_READ_AT = datetime(2026, 5, 4, tzinfo=UTC)
_ACCESS = 40
_NAMES = {number: f"p{number}" for number in range(1, 101)}


def tree(switches: int, seed: int = 1) -> list[int]:
    """Number of the switch above each one, at most twenty below another; the first has none."""
    dice = random.Random(seed)
    below = [0] * switches
    parents = [-1]
    for number in range(1, switches):
        parent = dice.choice([one for one in range(max(0, number - 60), number) if below[one] < 20] or [0])
        below[parent] += 1
        parents.append(parent)
    return parents


def _towards(parents: list[int], switch: int) -> Iterator[tuple[int, int]]:
    """Every other switch, with the port of this one that leads to it."""
    links: dict[int, list[int]] = {number: [] for number in range(len(parents))}
    for number, parent in enumerate(parents):
        if parent >= 0:
            links[number].append(parent)
            links[parent].append(number)
    for at, first in enumerate(links[switch]):
        stack = [(first, switch)]
        while stack:
            here, before = stack.pop()
            yield here, _ACCESS + 1 + at
            stack += [(one, here) for one in links[here] if one != before]


def tables(switches: int, addresses: int) -> dict[str, MacTable]:
    """Each address has a home; every switch has learned so many of all."""
    parents, dice = tree(switches), random.Random(2)
    own = max(4, addresses // 20)
    found = {}
    for switch in range(switches):
        learned = {
            key_of(0x021A01000000 + switch * 1000 + host, 10): host % _ACCESS + 1 for host in range(own)
        }
        others = list(_towards(parents, switch))
        share = (addresses - own) / max(1, len(others) * own)
        for other, port in others:
            for host in range(own):
                if share >= 1 or dice.random() < share:
                    learned[key_of(0x021A01000000 + other * 1000 + host, 10)] = port
        found[f"sw-{switch:04}"] = MacTable(learned, _NAMES, {}, _READ_AT)
    return found


def claims(switches: int) -> tuple[NeighbourClaim, ...]:
    parents = tree(switches)
    found = []
    used = [0] * switches
    for number, parent in enumerate(parents):
        if parent < 0:
            continue
        ends = []
        for one in (number, parent):
            used[one] += 1
            ends.append((f"sw-{one:04}", f"p{_ACCESS + used[one]}"))
        for here, there in (ends, ends[::-1]):
            found.append(NeighbourClaim(here, there[0], there[0], bridge=True, far_port=there[1]))
    return tuple(found)


def mixed(switches: int) -> TopologyFacts:
    """Every tenth neither speaks nor hears LLDP; what is behind its ports, and those of others that lead
    to it, is known by bridge addresses."""
    reported, parents = claims(switches), tree(switches)
    names = [f"sw-{number:04}" for number in range(switches)]
    silent = frozenset(names[::10])
    ports = {(one.port[0], one.known_as): one.port for one in reported}
    seen: dict[PortRef, set[str]] = defaultdict(set)
    for number, name in enumerate(names):
        before, near = 0, ""
        for other, port in _towards(parents, number):
            if port != before:  # the first behind a port is the next one
                before, near = port, names[other]
            if name in silent or near in silent:
                seen[ports[name, near]].add(names[other])
    return TopologyFacts(
        switches=frozenset(names),
        claims=tuple(one for one in reported if silent.isdisjoint((one.port[0], one.name))),
        seen={port: frozenset(behind) for port, behind in seen.items()},
    )


def main() -> None:
    # Of those ports, what is behind them does not follow from cables, and is recorded name by name.
    print(f"{'network':44}{'ports found':>12}{'CPU':>9}{'recording':>10}{'written out':>13}")
    for switches, addresses in ((50, 500), (100, 2000), (200, 4000), (1000, 500)):
        names = frozenset(f"sw-{number:04}" for number in range(switches))
        _row(
            f"{switches:,} switches x {addresses:,}, tables alone",
            TopologyFacts(switches=names, tables=tables(switches, addresses)),
        )
    for switches in (500, 1000, 2000):
        names = frozenset(f"sw-{number:04}" for number in range(switches))
        _row(f"{switches:,} switches, neighbours", TopologyFacts(switches=names, claims=claims(switches)))
    _row("1,000 switches, one in ten announces nothing", mixed(1000))
    _steps()


def _steps() -> None:
    """A reading that changes nothing, where every address is at two switches and where each is at one."""
    print(f"{'reading of 2,000 addresses':44}{'':>12}{'CPU':>12}")
    for name, twice in (("each at one switch", False), ("each connected to two switches", True)):
        replay = Replay()
        for minute in range(30):
            if minute == 10:
                began = time.process_time()
            for late, switch in enumerate(("a", "b")):
                replay.apply(_server_room(switch, minute + late / 2, twice=twice))
        each = (time.process_time() - began) / 40
        print(f"{name:44}{len(replay.findings):>12}{1000 * each:>9.2f} ms", flush=True)


def _server_room(switch: str, minute: float, *, twice: bool) -> Reading:
    """2,000 servers, fifty a port, each port a bundle of one system; else b sees all behind a."""
    ports = tuple(
        Port(number=number, name=f"p{number}", oper=Oper.UP, partner=f"02:00:00:00:00:{number:02x}/1")
        for number in range(1, 41)
    )
    behind = switch == "b" and not twice
    uplink = Neighbour(port="p40", chassis="", name="a", capabilities=("bridge",))
    uptime_ticks = 100_000_000 + int(6000 * minute)
    return Reading(
        switch=switch,
        taken_at=_READ_AT + timedelta(minutes=minute),
        device=Device(name=switch, uptime_ticks=uptime_ticks),
        ports=ports,
        learned={
            key_of(0x021A01000000 + number, 10): 40 if behind else number % 39 + 1 for number in range(2000)
        },
        neighbours=(uplink,) if behind else (),
    )


def _row(name: str, facts: TopologyFacts) -> None:
    began = time.process_time()
    topology = infer(facts)
    inferred = time.process_time()
    records = as_recorded(topology)
    took = time.process_time() - inferred
    written_out = sum(one.leads_to is not None and one.leads_on for one in records.values())
    print(
        f"{name:44}{len(records):>12,}{inferred - began:>7.2f} s{took:>8.2f} s{written_out:>13,}", flush=True
    )


if __name__ == "__main__":
    main()
