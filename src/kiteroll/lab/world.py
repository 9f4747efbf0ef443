"""A layer-2 world: hosts that talk, cables, switches that learn, flood and age. No I/O, no clock.

Time is a float of seconds that only `advance` moves; the same seed and the same calls give the
same world, frame by frame.
"""

import heapq
import random
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import count

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.switch import LabPort, LabSwitch

BROADCAST = (1 << 48) - 1
_AGE_EVERY_S = 5.0
_STORM_EVERY_S = 0.5
_STORM_FRAMES = 40
"""Broadcasts that go round in a loop; a real one is full of them."""


@dataclass(slots=True, kw_only=True)
class Host:
    name: str
    kind: str
    mac: MacAddress
    vlan: int
    every_s: float
    """Mean seconds between its frames."""
    peer: MacAddress | None = None
    """Whom it talks to; None: broadcasts only."""
    broadcasts: float = 0.05
    """Share of its frames that go to everybody (address resolution and the like)."""
    at: tuple[str, int] | None = None
    """(switch, port number) it is plugged into; None: unplugged."""
    talking: bool = True


@dataclass(order=True, slots=True)
class _Due:
    at: float
    order: int
    do: Callable[[], None] = field(compare=False)


class World:
    def __init__(self, seed: int = 1) -> None:
        self.now = 0.0
        self.switches: dict[str, LabSwitch] = {}
        self.hosts: dict[str, Host] = {}
        self._random = random.Random(seed)
        self._cables: dict[tuple[str, int], tuple[str, int]] = {}
        self._by_mac: dict[int, list[Host]] = {}
        self._loops: dict[str, tuple[int, int]] = {}
        """Switch to two of its ports that a cable joins."""
        self._going_round: dict[str, deque[tuple[int, int]]] = {}
        """Switch with a loop to the (address, VLAN) of broadcasts that go round in it."""
        self._queue: list[_Due] = []
        self._order = count()
        self.after(_AGE_EVERY_S, self._age)

    # --- building -------------------------------------------------------------------------

    def add_switch(self, switch: LabSwitch) -> LabSwitch:
        self.switches[switch.name] = switch
        return switch

    def cable(self, one: tuple[str, int], other: tuple[str, int]) -> None:
        """Connect two switch ports. What forwards must stay a tree: of a ring, one end is to be blocked."""
        self._cables[one] = other
        self._cables[other] = one
        self._port(one).cabled = self._port(other).cabled = True
        self.switches[one[0]].far_ports[one[1]] = self._port(other).name
        self.switches[other[0]].far_ports[other[1]] = self._port(one).name

    def cut(self, one: tuple[str, int]) -> None:
        """A cable between switches breaks: both ends go down."""
        other = self._cables.pop(one)
        del self._cables[other]
        for end in (one, other):
            port = self._port(end)
            port.cabled, port.changed_at = False, self.now
            self.switches[end[0]].forget_port(end[1])
            self.switches[end[0]].far_ports.pop(end[1], None)

    def join(self, one: tuple[str, int], other: tuple[str, int]) -> None:
        """A cable between switches that was cut is there again."""
        self.cable(one, other)
        for end in (one, other):
            self._port(end).changed_at = self.now
            self.switches[end[0]].version += 1

    def change_topology(self) -> None:
        """Spanning tree has found other paths: every switch counts it, and forgets who is beyond others
        (IEEE 802.1Q 13.14)."""
        for name, switch in self.switches.items():
            switch.topology_changes += 1
            for here, number in self._cables:
                if here == name:
                    switch.forget_port(number)

    def neighbours(self, name: str) -> dict[int, LabSwitch]:
        """Interface of the switch to the switch at the other end of its cable."""
        return {port: self.switches[there[0]] for (here, port), there in self._cables.items() if here == name}

    def add_host(self, host: Host) -> Host:
        self.hosts[host.name] = host
        self._by_mac.setdefault(host.mac, []).append(host)
        if host.at is not None:
            self.plug(host, host.at)
        self.after(self._random.uniform(0, host.every_s), lambda: self._talk(host))
        return host

    @property
    def cables(self) -> dict[tuple[str, int], tuple[str, int]]:
        """Each end of a cable between switches to its other end."""
        return self._cables

    # --- what happens to it ---------------------------------------------------------------

    def plug(self, host: Host, at: tuple[str, int]) -> None:
        """Plug a host in; it says hello at once, as hosts do when their link comes up."""
        host.at = at
        port = self._port(at)
        if not port.cabled:
            port.cabled, port.changed_at = True, self.now
        self._transmit(host, BROADCAST)

    def unplug(self, host: Host) -> None:
        """Pull its cable. Where nothing else is connected to the port, the port goes down."""
        if host.at is None:
            return
        at, host.at = host.at, None
        if all(other.at != at for other in self.hosts.values()) and at not in self._cables:
            port = self._port(at)
            port.cabled, port.changed_at = False, self.now
            self.switches[at[0]].forget_port(at[1])

    def move(self, host: Host, at: tuple[str, int]) -> None:
        self.unplug(host)
        self.plug(host, at)

    def settle(self, name: str, at: tuple[str, int]) -> None:
        """Plug a host in elsewhere, at a port that is set up for its VLAN."""
        host = self.hosts[name]
        self._port(at).pvid = host.vlan
        self.move(host, at)

    def loop(self, switch: str, ports: tuple[int, int]) -> None:
        """Join two ports of a switch by a cable: broadcasts that reach it go round from now on."""
        self._loops[switch] = ports
        self._going_round[switch] = deque(maxlen=_STORM_FRAMES)
        for number in ports:
            port = self._port((switch, number))
            port.cabled, port.changed_at = True, self.now
        self.after(_STORM_EVERY_S, lambda: self._storm(switch))

    def unloop(self, switch: str) -> None:
        for number in self._loops.pop(switch, ()):
            port = self._port((switch, number))
            port.cabled, port.changed_at = False, self.now
            self.switches[switch].forget_port(number)
        self._going_round.pop(switch, None)

    def second_cable(self, one: tuple[str, int], other: tuple[str, int], ports: tuple[int, int]) -> None:
        """Another cable between two switches that `one` and `other` join, without spanning tree: broadcasts
        go round between them, either way, from now on."""
        self.cable((one[0], ports[0]), (other[0], ports[1]))
        for name, number in ((one[0], ports[0]), (other[0], ports[1])):
            port = self._port((name, number))
            port.changed_at, port.spare = self.now, True
            self._going_round.setdefault(name, deque(maxlen=_STORM_FRAMES))
        self.after(_STORM_EVERY_S, lambda: self._storm_between(one, other, ports))

    def clone(self, host: Host, like: Host) -> None:
        """Give a host the address of another one."""
        self._by_mac[host.mac].remove(host)
        host.mac = like.mac
        self._by_mac.setdefault(host.mac, []).append(host)

    def forge(self, host: Host, source: MacAddress, *, every_s: float, seconds: float) -> None:
        """Let a host send broadcasts from an address that is not its own, for a while, as long as it is
        plugged in."""
        until = self.now + seconds

        def send() -> None:
            if self.now > until or host.at is None:
                return
            self._carry(source, BROADCAST, host.vlan, host.at)
            self.after(every_s, send)

        send()

    def readdress(self, host: Host, mac: MacAddress) -> None:
        """Give a host an address of its own."""
        self._by_mac[host.mac].remove(host)
        host.mac = mac
        self._by_mac.setdefault(mac, []).append(host)

    def after(self, seconds: float, do: Callable[[], None]) -> None:
        heapq.heappush(self._queue, _Due(self.now + seconds, next(self._order), do))

    def advance(self, to: float) -> None:
        """Let everything happen that is due up to and including `to`."""
        while self._queue and self._queue[0].at <= to:
            due = heapq.heappop(self._queue)
            self.now = due.at
            due.do()
        self.now = max(self.now, to)

    def sleep(self, seconds: float) -> None:
        """Let time pass in which nothing happens: no host talks, nothing ages, what is due waits."""
        self.now += seconds
        for due in self._queue:
            due.at += seconds  # all alike: their order stays
        for switch in self.switches.values():
            for row in switch.fdb.values():
                row.heard_at += seconds

    # --- frames ---------------------------------------------------------------------------

    def _talk(self, host: Host) -> None:
        if host.at is not None and host.talking:
            alone = host.peer is None or self._random.random() < host.broadcasts
            self._transmit(host, BROADCAST if alone or host.peer is None else host.peer)
        self.after(self._random.expovariate(1 / host.every_s), lambda: self._talk(host))

    def _transmit(self, host: Host, to: int) -> None:
        if host.at is None:
            return
        self._carry(host.mac, to, host.vlan, host.at)
        if to == BROADCAST:
            return
        for peer in self._by_mac.get(to, ()):
            if peer.at is not None and peer.vlan == host.vlan:
                self._carry(peer.mac, host.mac, peer.vlan, peer.at)

    def _carry(self, source: int, to: int, vlan: int, at: tuple[str, int]) -> None:
        """Bring one frame from where it enters the network to wherever bridges send it."""
        ways = [at]
        while ways:
            name, number = ways.pop()
            switch = self.switches[name]
            port = switch.ports[number]
            if not port.forwards or not port.carries(vlan):
                continue
            switch.learn(source, vlan, number, self.now)
            if to == BROADCAST and name in self._going_round:
                self._going_round[name].append((source, vlan))
            known = None if to == BROADCAST else switch.lookup(to, vlan)
            for out in switch.ports.values():
                if out.number == number or (known is not None and out.number != known):
                    continue
                beyond = self._cables.get((name, out.number))
                if beyond is not None and out.forwards and out.carries(vlan) and not out.spare:
                    ways.append(beyond)

    def _storm(self, name: str) -> None:
        """What goes round comes back at either end of the loop, and goes out everywhere else."""
        if name not in self._loops:
            return
        switch = self.switches[name]
        switch.topology_changes += 1
        for source, vlan in list(self._going_round[name]):
            number = self._random.choice(self._loops[name])
            switch.learn(source, vlan, number, self.now)
            self._send_on(name, source, vlan)
        self.after(_STORM_EVERY_S, lambda: self._storm(name))

    def _storm_between(self, one: tuple[str, int], other: tuple[str, int], ports: tuple[int, int]) -> None:
        """What goes round comes to each by one cable or the other, and goes out everywhere else."""
        ends = ((one[0], one[1], ports[0]), (other[0], other[1], ports[1]))
        around = {frame for name, *_ in ends for frame in self._going_round[name]}
        for source, vlan in around:
            way = self._random.randrange(2)
            for place, (name, *numbers) in enumerate(ends):
                self.switches[name].learn(source, vlan, numbers[(way + place) % 2], self.now)
                self._send_on(name, source, vlan, without=numbers)
        self.after(_STORM_EVERY_S, lambda: self._storm_between(one, other, ports))

    def _send_on(self, name: str, source: int, vlan: int, without: Sequence[int] = ()) -> None:
        """Bring a broadcast from a switch to all that are cabled to it, but for those at some ports."""
        for out in self.switches[name].ports.values():
            beyond = self._cables.get((name, out.number))
            if beyond is not None and out.number not in without and out.forwards and out.carries(vlan):
                self._carry(source, BROADCAST, vlan, beyond)

    def _age(self) -> None:
        for switch in self.switches.values():
            switch.age(self.now)
        self.after(_AGE_EVERY_S, self._age)

    def _port(self, at: tuple[str, int]) -> LabPort:
        return self.switches[at[0]].ports[at[1]]
