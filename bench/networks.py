"""What happens in networks, and what is said of it: false findings, misses, homes over time, by groups."""

import random
import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import timedelta
from functools import partial

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading, key_of
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Confidence
from kiteroll.lab.random_worlds import AGEING_S, PORTS, START, Net, Ring, grow, grow_ring, rounds
from kiteroll.lab.world import Host

Happen = Callable[[Net, random.Random], None]
Change = Callable[[Reading], Reading | None]
_QUIET_ROUNDS = 5
Places = dict[str, list[tuple[float, tuple[str, int] | None]]]
"""Where each host was of late, and since when; None: unplugged."""
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
    """Kinds that may be told."""
    loop_at: frozenset[str] = frozenset()
    """Where a loop must be told."""
    moved: int = 0
    """How many addresses must be told to have moved, alone or together."""
    change: Change | None = None
    """What is read of it; None loses the reading."""


@dataclass
class Score:
    switch_days: float = 0.0
    false: Counter[FindingKind] = field(default_factory=Counter)
    loops: int = 0
    moved: int = 0
    moves: int = 0
    homes: Counter[str] = field(default_factory=Counter)
    words: Counter[tuple[Confidence, bool]] = field(default_factory=Counter)
    missed_loops: int = 0
    cpu_s: float = 0.0


def play(case: Case, seed: int) -> Score:
    began = time.process_time()
    dice, replay, score = random.Random(seed), Replay(), Score()
    net = case.build(seed)
    net.world.advance(2 * AGEING_S)
    for _, reading in rounds(net, dice, count=_QUIET_ROUNDS, interval_s=case.interval_s):
        _apply(case, replay, reading, score)
    case.happen(net, dice)
    lately: Places = {}
    next_look = net.world.now + case.interval_s
    count = max(2, round(case.minutes * 60 / case.interval_s))
    for at, reading in rounds(net, dice, count=count, interval_s=case.interval_s):
        _apply(case, replay, reading, score)
        _note_places(net, lately, at - 2 * case.interval_s - 30)
        if at >= next_look:
            _look_at_homes(net, replay, score, lately)
            next_look = at + case.interval_s
    score.switch_days = len(net.world.switches) * case.minutes / 1440
    _score_findings(case, replay, score)
    score.cpu_s = time.process_time() - began
    return score


def _apply(case: Case, replay: Replay, reading: Reading, score: Score) -> None:
    taken = reading if case.change is None else case.change(reading)
    if taken is not None:
        replay.apply(taken)


def _note_places(net: Net, lately: Places, since: float) -> None:
    """Where hosts were of late: a reading may tell no later than that."""
    for host in net.world.hosts.values():
        log = lately.setdefault(host.name, [])
        if not log or log[-1][1] != host.at:
            log.append((net.world.now, host.at))
        while len(log) > 1 and log[1][0] < since:
            log.pop(0)


def _look_at_homes(net: Net, replay: Replay, score: Score, lately: Places) -> None:
    by_mac: dict[MacAddress, list[Host]] = {}
    for host in net.world.hosts.values():
        by_mac.setdefault(host.mac, []).append(host)
    for mac, hosts in by_mac.items():
        if all(host.at is None for host in hosts) or any(
            host.at and host.at[0] in net.hidden for host in hosts
        ):
            continue
        held = any(
            key_of(mac, vlan) in replay.facts.table(host.at[0]).learned
            for host in hosts
            if host.at
            for vlan in (host.vlan, None)
        )
        if not held:
            continue  # it has not spoken for an ageing time
        home = replay.home_of(mac)
        there = {(at[0], f"p{at[1]}") for host in hosts for _, at in lately[host.name] if at is not None}
        right = home.at is not None and home.at.port in there
        score.homes["none" if home.at is None else "right" if right else "wrong"] += 1
        if home.at is not None:
            score.words[home.confidence, right] += 1


def _score_findings(case: Case, replay: Replay, score: Score) -> None:
    whole = [one for one in replay.findings.values() if not one.part_of]
    score.loops = sum(one.kind is FindingKind.LOOP and one.subject.switch in case.loop_at for one in whole)
    score.missed_loops = int(bool(case.loop_at) and score.loops == 0)
    allowed = case.allowed | ({FindingKind.LOOP} if case.loop_at else set())
    for one in whole:
        if one.kind not in allowed or (
            one.kind is FindingKind.LOOP and one.subject.switch not in case.loop_at
        ):
            score.false[one.kind] += 1
    if score.loops > 1:
        score.false[FindingKind.LOOP] += score.loops - 1
    score.moves = case.moved
    score.moved = min(case.moved, len(_moved(replay.findings.values())))


def _moved(findings: Iterable[Finding]) -> set[MacAddress]:
    return {
        one.subject.mac for one in findings if one.kind is FindingKind.MOVED and one.subject.mac is not None
    }


# --- what happens ---------------------------------------------------------------------------


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


def _host(net: Net, name: str, mac: int, at: tuple[str, int], vlan: int = 10) -> Host:
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
    """One switch tells no VLAN."""
    if reading.switch != "sw-001":
        return reading
    return replace(reading, learned={key & (1 << 48) - 1: port for key, port in reading.learned.items()})


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
    for times in (1, 4):
        yield Case("rings", f"{times} breaks and mends", *ring(times), minutes=30)
    yield Case("several places", "two VLANs, a virtual router", tree(3, 6), twin_addresses)
    for switches, hosts in ((2, 1), (2, 3), (3, 2), (4, 3)):
        yield Case(
            "poor evidence",
            f"{switches} x {hosts} hosts, no LLDP",
            tree(switches, hosts, lldp=False),
            nothing,
        )
    yield Case("poor evidence", "one tells no VLAN", tree(4, 6, lldp=False), nothing, change=without_vlans)
    yield Case(
        "decay",
        "a switch dies",
        tree(4, 6),
        nothing,
        minutes=60,
        allowed=frozenset({FindingKind.NOT_READ}),
        change=dead,
    )


def main() -> None:
    print(
        f"{'group':16}{'case':40}{'false':>7}{'loops':>7}{'moved':>8}{'right':>9}{'wrong':>10}{'none':>10}"
        f"{'sure right':>12}"
    )
    total: Counter[str] = Counter()
    for case in cases():
        scores = [play(case, seed) for seed in range(1, 4)]
        homes: Counter[str] = sum((one.homes for one in scores), Counter())
        seen = max(1, homes.total())
        sure = sum(one.words[Confidence.SURE, True] for one in scores)
        said = sure + sum(one.words[Confidence.SURE, False] for one in scores)
        false: Counter[FindingKind] = sum((one.false for one in scores), Counter())
        loops = f"{3 - sum(one.missed_loops for one in scores)}/3" if case.loop_at else "-"
        moves = sum(one.moves for one in scores)
        moved = f"{sum(one.moved for one in scores)}/{moves}" if moves else "-"
        shares = [f"{100 * homes[word] / seen:>7.2f} %" for word in ("right", "wrong", "none")]
        kinds = ", ".join(f"{count} {kind.value}" for kind, count in false.items())
        print(
            f"{case.group:16}{case.name:40}{false.total():>7}{loops:>7}{moved:>8}"
            f"{' '.join(shares)}"
            f"{100 * sure / max(1, said):>10.2f} %  {kinds}",
            flush=True,
        )
        total += Counter({kind.value: count for kind, count in false.items()})
    print("false findings in all:", dict(total))


if __name__ == "__main__":
    main()
