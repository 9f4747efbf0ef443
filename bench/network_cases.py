"""Things that happen in networks, by groups, and what may and must be said of each."""

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import timedelta
from functools import partial

from tests.support.factories import rule_book

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import MAC_MASK, Gap, Neighbour, Reading
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.lab.random_worlds import AGEING_S, PORTS, START, Net, Ring, grow, grow_ring
from kiteroll.lab.world import Host

Happen = Callable[[Net, random.Random], None]
Change = Callable[[Reading], Reading | None]
_NOTES = frozenset({FindingKind.MOVED, FindingKind.MOVED_TOGETHER})


@dataclass(frozen=True)
class Case:
    group: str
    name: str
    build: Callable[[int], Net]
    happen: Happen
    interval_s: float = 60.0
    minutes: int = 30
    allowed: frozenset[FindingKind] = frozenset()
    """Kinds that may be reported."""
    loop_at: frozenset[str] = frozenset()
    """Where a loop must be reported."""
    moved: int = 0
    """How many addresses must be told to have moved, alone or together."""
    change: Change | None = None
    """What is read of it; None loses the reading."""
    rules: RuleBook = field(default_factory=RuleBook)
    due: frozenset[FindingKind] = frozenset()
    due_from_s: float = 0.0
    """Kinds that must be reported, each by itself, from `DUE_AFTER` after `due_from_s` on until the end."""


DUE_AFTER = {
    FindingKind.STRANGER: 180.0,
    FindingKind.OVERFULL: 180.0,
    FindingKind.UPLINK_CLAIMED: 180.0,
    FindingKind.DUPLICATE: 600.0,
}
"""Seconds: an address that jumps must be seen to do so."""
FORGED_AFTER_S = 660.0
MASKED_AFTER_S = 300.0
BUNDLES = 100
"""Bundle of port N is port N + BUNDLES."""
WATCHED = ("sw-001", PORTS - 1)
_MASKED = frozenset({FindingKind.STRANGER, FindingKind.DUPLICATE})


def watch_a_port() -> RuleBook:
    return rule_book(ports={(WATCHED[0], f"p{WATCHED[1]}"): Rule(watched=True, seats=1)})


def nothing(_: Net, __: random.Random) -> None:
    return


def roam(every_s: float, clients: int = 60) -> Happen:
    """Wireless clients on six access points of two switches."""

    def happen(net: Net, dice: random.Random) -> None:
        points = [(switch, 2 * PORTS - number) for switch in ("sw-000", "sw-001") for number in range(3)]
        for number in range(clients):
            client = _host(net, f"client-{number}", 0x021A0C000000 + number, dice.choice(points))
            at_s = dice.uniform(600, 600 + every_s)
            while at_s < 7200:
                to = dice.choice(points)
                net.world.after(at_s, partial(net.world.settle, client.name, to))
                at_s += dice.expovariate(1 / every_s)

    return happen


def change_rooms(there: int, back: int, *, again: bool = False) -> Happen:
    """So many hosts go from one switch to the other, and so many the other way; `again`: and home later."""

    def happen(net: Net, dice: random.Random) -> None:
        one, other = "sw-000", "sw-001"
        groups = [
            [host for host in net.hosts if host.at and host.at[0] == name][:count]
            for name, count in ((one, there), (other, back))
        ]
        free = {name: iter(range(2 * PORTS, PORTS + 1, -1)) for name in (one, other)}
        begin = dice.uniform(60, 120)
        for group, to in zip(groups, (other, one), strict=True):
            for number, host in enumerate(group):
                home, port = host.at, next(free[to])
                net.world.after(begin + 4 * number, partial(net.world.move, host, (to, port)))
                if again and home is not None:
                    net.world.after(begin + 1800 + 4 * number, partial(net.world.move, host, home))

    return happen


def loop_in_one(net: Net, _: random.Random) -> None:
    net.world.after(30, lambda: net.world.loop("sw-002", (2 * PORTS - 1, 2 * PORTS)))


def second_cable(net: Net, _: random.Random) -> None:
    """Between two switches that have one already, without spanning tree."""
    here, there = next((one, other) for one, other in net.cables.items() if one[0] == "sw-002")
    net.world.after(30, lambda: net.world.second_cable(here, there, (2 * PORTS, 2 * PORTS)))


def twin_addresses(net: Net, _: random.Random) -> None:
    """One address in two VLANs at two ports, and one that several routers share."""
    for vlan, at in ((10, ("sw-000", 2 * PORTS)), (20, ("sw-001", 2 * PORTS))):
        _host(net, f"gateway-{vlan}", 0x021A0D000001, at, vlan=vlan)
    for number, at in enumerate((("sw-000", 2 * PORTS - 1), ("sw-001", 2 * PORTS - 1))):
        _host(net, f"router-{number}", 0x00005E000105, at)


def beside(happen: Happen, *, last: str = "sw-002") -> Happen:
    """The same, while a host of another switch is cloned at `last`, and a stranger is at the watched port."""

    def both(net: Net, dice: random.Random) -> None:
        like = next(one for one in net.hosts if one.every_s == 10)
        _host(net, "twin", like.mac, (last, PORTS), vlan=like.vlan)
        _host(net, "stranger", 0x021A0E000001, WATCHED)
        net.world.after(MASKED_AFTER_S, lambda: happen(net, dice))

    return both


def crowd(net: Net, _: random.Random) -> None:
    """Sixty people arrive at one access point within a hundred seconds."""
    for number in range(60):
        client, at = _host(net, f"guest-{number}", 0x021A0F000000 + number, None), ("sw-000", PORTS)
        net.world.after(60 + 1.6 * number, partial(net.world.settle, client.name, at))


def forge(net: Net, _: random.Random) -> None:
    """Three strangers at a watched port with one seat, and frames in the name of a known switch."""
    for number in range(3):
        stranger = _host(net, f"stranger-{number}", 0x021A0E000001 + number, None)
        net.world.after(FORGED_AFTER_S, partial(net.world.settle, stranger.name, WATCHED))
    liar, switch = net.world.hosts["stranger-0"], net.world.switches["sw-002"]
    net.world.after(FORGED_AFTER_S + 1, lambda: net.world.forge(liar, switch.mac, every_s=60, seconds=3600))


def forged_neighbour(reading: Reading) -> Reading:
    """A device at the watched port announces itself by the name of a known switch."""
    if reading.switch != WATCHED[0] or reading.taken_at < START + timedelta(
        seconds=2 * AGEING_S + 300 + FORGED_AFTER_S
    ):
        return reading
    liar = Neighbour(port=f"p{WATCHED[1]}", chassis="liar", name="sw-002", capabilities=("bridge",))
    return replace(reading, neighbours=(*reading.neighbours, liar))


def carried(net: Net, dice: random.Random) -> None:
    """Eight laptops are carried to another switch, four of them off for a quarter of an hour."""
    for number, host in enumerate(dice.sample([one for one in net.hosts if one.at], 8)):
        assert host.at is not None
        to = ("sw-000" if host.at[0] != "sw-000" else "sw-001", 2 * PORTS - number)
        off_s = 900 if number % 2 else 20
        net.world.after(120 + 60 * number, partial(net.world.unplug, host))
        net.world.after(120 + 60 * number + off_s, partial(net.world.plug, host, to))


def ring(times: int) -> tuple[Callable[[int], Net], Happen]:
    rings: dict[int, Ring] = {}

    def build(seed: int) -> Net:
        made = grow_ring(seed, 5, hosts=6)
        rings[id(made.net)] = made
        return made.net

    def happen(net: Net, dice: random.Random) -> None:
        made = rings[id(net)]
        for number in range(times):
            at_s = 60 + 240 * number + dice.uniform(0, 30)
            net.world.after(at_s, partial(made.break_cable, number % 4))
            net.world.after(at_s + 110, made.mend_cable)

    return build, happen


def _host(net: Net, name: str, mac: int, at: tuple[str, int] | None, vlan: int = 10) -> Host:
    host = Host(
        name=name,
        kind="host",
        mac=MacAddress(mac),
        vlan=vlan,
        every_s=10,
        peer=net.hosts[0].mac,
        broadcasts=0.3,
        at=at,
    )
    return net.world.add_host(host)


def tree(switches: int, hosts: int = PORTS, *, lldp: bool = True, hidden: int = 0) -> Callable[[int], Net]:
    return lambda seed: grow(seed, switches, hosts=hosts, lldp=lldp, hidden=hidden)


def without_vlans(reading: Reading) -> Reading:
    """One switch reports no VLAN."""
    if reading.switch != "sw-001":
        return reading
    return replace(reading, learned={key & MAC_MASK: port for key, port in reading.learned.items()})


def partial_tables(reading: Reading) -> Reading:
    """One switch breaks off half-way through its table, three times of four."""
    if reading.switch != "sw-001" or reading.taken_at.minute % 4 == 0:
        return reading
    half = dict(sorted(reading.learned.items())[::2])
    gap = Gap(table="dot1qTpFdbTable", why="no answer", rows=len(half))
    return replace(reading, learned=half, gaps=(gap,))


def slow(reading: Reading) -> Reading | None:
    """One switch gives a reading in every fourth minute only."""
    return reading if reading.switch != "sw-001" or reading.taken_at.minute % 4 == 0 else None


def bundled(reading: Reading) -> Reading:
    """Ports between switches are members of a bundle each; addresses are learned at the bundles."""
    members = [port for port in reading.ports if port.number > PORTS]
    bundles = [replace(one, number=one.number + BUNDLES, name=f"b{one.number}") for one in members]
    ports = (
        *(port for port in reading.ports if port.number <= PORTS),
        *(replace(one, aggregate=f"b{one.number}", bridged=False) for one in members),
        *bundles,
    )
    learned = {key: number + BUNDLES if number > PORTS else number for key, number in reading.learned.items()}
    return replace(reading, ports=ports, learned=learned)


def dead(reading: Reading) -> Reading | None:
    """One switch is not read any more after ten minutes."""
    late = reading.taken_at > START + timedelta(seconds=2 * AGEING_S + 900)
    return None if reading.switch == "sw-001" and late else reading


def cases() -> Iterator[Case]:
    for lldp in (True, False):
        word = "LLDP" if lldp else "no LLDP"
        yield Case("at rest", f"12 switches, {word}", tree(12, 8, lldp=lldp), nothing, minutes=60)
        yield Case("at rest", f"12, 2 hidden, {word}", tree(12, 8, lldp=lldp, hidden=2), nothing, minutes=60)
    for every_s, beat in ((300, 15), (300, 60), (900, 60), (900, 300), (3600, 300)):
        name = f"roam every {every_s // 60} min, read every {beat} s"
        flap = frozenset({FindingKind.FLAPPING})
        yield Case("roaming", name, tree(3, 6), roam(every_s), beat, 60, _NOTES | flap)
    for there, back, beat in ((2, 0, 60), (10, 9, 60), (10, 9, 300), (10, 0, 300), (8, 8, 1800)):
        name = f"{there} one way, {back} the other, every {beat} s"
        minutes = 45 if beat < 1800 else 300
        yield Case(
            "batch moves",
            name,
            tree(3),
            change_rooms(there, back),
            beat,
            minutes,
            _NOTES | {FindingKind.AGEING_TOO_SHORT},
            moved=there + back,
        )
    yield Case(
        "batch moves", "10 out and back", tree(3), change_rooms(10, 0, again=True), 60, 60, _NOTES, moved=10
    )
    yield Case("carried", "8 laptops, every 60 s", tree(4, 6), carried, 60, 60, _NOTES, moved=8)
    yield Case("carried", "8 laptops, every 300 s", tree(4, 6), carried, 300, 90, _NOTES, moved=8)
    for lldp in (True, False):
        for beat in (15, 60):
            word = f"{'LLDP' if lldp else 'no LLDP'}, every {beat} s"
            yield Case(
                "loops",
                f"in one switch, {word}",
                tree(5, lldp=lldp),
                loop_in_one,
                beat,
                10,
                loop_at=frozenset({"sw-002"}),
            )
            yield Case(
                "loops",
                f"second cable, {word}",
                tree(5, lldp=lldp),
                second_cable,
                beat,
                10,
                loop_at=frozenset(f"sw-{number:03}" for number in range(5)),
            )
    paths = frozenset({FindingKind.TOPOLOGY_CHANGE})
    ring_of_four = ring(2)
    yield Case("at rest", "12 switches, bundles", tree(12, 8), nothing, minutes=30, change=bundled)
    for times in (1, 4):
        yield Case("rings", f"{times} breaks and mends", *ring(times), minutes=30, allowed=paths)
    yield Case("several places", "two VLANs, a virtual router", tree(3, 6), twin_addresses)
    for switches, hosts in ((2, 1), (2, 3), (3, 2), (4, 3)):
        yield Case(
            "poor evidence",
            f"{switches} x {hosts} hosts, no LLDP",
            tree(switches, hosts, lldp=False),
            nothing,
        )
    for name, happen, net, beat, allowed in (
        ("a class change", change_rooms(8, 7), tree(3, 10), 60, _NOTES),
        ("a loop, every 15 s", loop_in_one, tree(5, 10), 15, frozenset()),
        ("a loop, every 60 s", loop_in_one, tree(5, 10), 60, frozenset()),
        ("a ring that breaks and mends", ring_of_four[1], ring_of_four[0], 60, paths),
        ("60 guests at once", crowd, tree(3, 10), 60, frozenset({FindingKind.FLOOD})),
        ("clients that roam every 5 min", roam(300), tree(3, 10), 60, _NOTES | {FindingKind.FLAPPING}),
    ):
        yield Case(
            "masking",
            name,
            net,
            beside(happen),
            beat,
            30,
            allowed | _MASKED | _NOTES,
            loop_at=frozenset({"sw-002"} if happen is loop_in_one else ()),
            rules=watch_a_port(),
            # In a loop every address jumps: a second device with one of them shows when it is over.
            due=_MASKED - (frozenset({FindingKind.DUPLICATE}) if happen is loop_in_one else frozenset()),
        )
    lies = frozenset({FindingKind.STRANGER, FindingKind.OVERFULL, FindingKind.UPLINK_CLAIMED})
    forgeries: tuple[tuple[str, Happen, Change | None], ...] = (
        ("a switch's address, once a minute", forge, None),
        ("a switch's name over LLDP", forge, forged_neighbour),
    )
    for name, happen, change in forgeries:
        yield Case(
            "adversary",
            name,
            tree(4, 6),
            happen,
            allowed=lies,
            rules=watch_a_port(),
            due=lies,
            due_from_s=FORGED_AFTER_S,
            change=change,
        )
    yield Case("poor evidence", "one reports no VLAN", tree(4, 6, lldp=False), nothing, change=without_vlans)
    late = frozenset({FindingKind.NOT_READ})
    worn: tuple[tuple[str, Change], ...] = (("one in part only", partial_tables), ("one read seldom", slow))
    for name, change in worn:
        yield Case(
            "decay", name, tree(4, 6), carried, minutes=60, allowed=late | _NOTES, change=change, moved=8
        )
    yield Case(
        "decay",
        "a switch dies",
        tree(4, 6),
        nothing,
        minutes=60,
        allowed=frozenset({FindingKind.NOT_READ}),
        change=dead,
    )
