"""Random networks that learn and age like bridges do, and readings of them without the wire."""

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.lab.readings import reading_of
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.world import Host, World

START = datetime(2026, 5, 4, tzinfo=UTC)
PORTS = 12
"""Ports a switch has for cables to others, and as many again for hosts."""
AGEING_S = 300
VLANS = (10, 20)


@dataclass
class Net:
    world: World
    hidden: frozenset[str]
    """Switches that are there and not read."""
    hosts: list[Host] = field(default_factory=list)
    cables: dict[tuple[str, int], tuple[str, int]] = field(default_factory=dict)
    lldp: bool = True

    def ports_towards(self, switch: str) -> set[tuple[str, str]]:
        """Ports of other switches that are cabled to this one, as (switch, port name)."""
        return {(name, f"p{port}") for (name, port), far in self.cables.items() if far[0] == switch}


def grow(seed: int, switches: int, *, hosts: int, hidden: int = 0, lldp: bool = True) -> Net:
    """A random tree of switches with `hosts` hosts on each, some of the switches `hidden`."""
    dice = random.Random(seed)
    world, names = _switches(seed, switches)
    net = Net(world, frozenset(dice.sample(names[1:], hidden)), lldp=lldp)
    used = dict.fromkeys(names, 0)
    for at, name in enumerate(names[1:], start=1):
        parent = dice.choice([other for other in names[:at] if used[other] < PORTS])
        used[name] += 1
        used[parent] += 1
        _cable(net, (name, PORTS + used[name]), (parent, PORTS + used[parent]))
    _populate(net, dice, names, hosts)
    return net


@dataclass
class Ring:
    """Switches in a ring, each cabled to the next. Spanning tree keeps one end of the last cable shut."""

    net: Net
    cables: list[tuple[tuple[str, int], tuple[str, int]]]
    broken: int | None = None

    def break_cable(self, number: int) -> None:
        """Another cable than the one that is shut breaks, and that one opens."""
        self.broken = number
        self.net.world.cut(self.cables[number][0])
        self._block(shut=False)

    def mend_cable(self) -> None:
        assert self.broken is not None
        self.net.world.join(*self.cables[self.broken])
        self.broken = None
        self._block(shut=True)

    def _block(self, *, shut: bool) -> None:
        name, number = self.cables[-1][0]
        self.net.world.switches[name].ports[number].blocked = shut
        self.net.world.change_topology()


def grow_ring(seed: int, switches: int, *, hosts: int, lldp: bool = True) -> Ring:
    dice = random.Random(seed)
    world, names = _switches(seed, switches)
    net = Net(world, frozenset(), lldp=lldp)
    cables = []
    for at, name in enumerate(names):
        ends = ((name, PORTS + 2), (names[(at + 1) % len(names)], PORTS + 1))
        _cable(net, *ends)
        cables.append(ends)
    name, number = cables[-1][0]
    world.switches[name].ports[number].blocked = True
    _populate(net, dice, names, hosts)
    return Ring(net, cables)


def _switches(seed: int, count: int) -> tuple[World, list[str]]:
    world = World(seed)
    names = [f"sw-{number:03}" for number in range(count)]
    for number, name in enumerate(names):
        switch = LabSwitch(
            name=name, mac=MacAddress(0x021AF0000000 + number * 256), address="", ageing_s=AGEING_S
        )
        switch.ports = {
            at: LabPort(number=at, name=f"p{at}", tagged=frozenset(VLANS)) for at in range(1, 2 * PORTS + 1)
        }
        switch.vlans = dict.fromkeys(VLANS, "")
        switch.booted_at = -1e6 - number
        world.add_switch(switch)
    return world, names


def _cable(net: Net, here: tuple[str, int], there: tuple[str, int]) -> None:
    net.world.cable(here, there)
    net.cables[here], net.cables[there] = there, here


def _populate(net: Net, dice: random.Random, names: list[str], hosts: int) -> None:
    macs = [MacAddress(0x021A01000000 + number) for number in range(len(names) * hosts)]
    for number, mac in enumerate(macs):
        host = Host(
            name=f"h{number}",
            kind="host",
            mac=mac,
            vlan=VLANS[number % len(VLANS)],
            every_s=dice.choice((10, 30, 60)),
            peer=dice.choice(macs[number % len(VLANS) :: len(VLANS)]),
            broadcasts=0.1,
            at=(names[number // hosts], number % hosts % PORTS + 1),
        )
        net.hosts.append(net.world.add_host(host))


def read(net: Net, name: str) -> Reading:
    """What the switch holds at this instant."""
    switch, now = net.world.switches[name], net.world.now
    switch.age(now)
    at = START + timedelta(seconds=now)
    return reading_of(net.world, switch, at, up_s=now - switch.booted_at, lldp=net.lldp)


def rounds(
    net: Net,
    dice: random.Random,
    *,
    count: int,
    interval_s: float,
    lost: float = 0.0,
    by: Callable[[str], Reading | None] | None = None,
) -> Iterator[tuple[float, Reading]]:
    """Readings of all switches that are read, each on a beat of its own; some get lost. `by`: how one
    is read, as it is held unless given; None when that failed."""
    names = [name for name in net.world.switches if name not in net.hidden]
    beats = {name: dice.uniform(0, interval_s) for name in names}
    start = net.world.now
    for number in range(count):
        for name in sorted(names, key=lambda each: beats[each]):
            at = start + number * interval_s + beats[name]
            net.world.advance(at)
            if dice.random() < lost:
                continue
            reading = read(net, name) if by is None else by(name)
            if reading is not None:
                yield at, reading
