"""How often the rules are right, in random networks: hidden switches, many makers, with and without LLDP."""

import random
import statistics
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from bench.wired import wired
from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading, key_of
from kiteroll.core.replay.replay import Replay
from kiteroll.lab.random_worlds import AGEING_S, PORTS, Net, grow, rounds
from kiteroll.lab.world import Host

INTERVAL_S = 30.0


@dataclass
class Score:
    homes: int = 0
    right: int = 0
    hidden: int = 0
    """Hosts on a switch that is not read."""
    beyond: int = 0
    """Of those, placed right: at a port towards that switch."""
    happened: Counter[FindingKind] = field(default_factory=Counter)
    noticed: Counter[FindingKind] = field(default_factory=Counter)
    false: Counter[FindingKind] = field(default_factory=Counter)
    delays_s: list[float] = field(default_factory=list)


def play(
    seed: int,
    switches: int,
    *,
    lldp: bool,
    hidden: int = 0,
    lost: float = 0.0,
    incidents: int = 3,
    hosts: int = 8,
    makers: bool = False,
) -> Score:
    """`makers`: read over the wire from agents that differ; else what switches hold is taken as it is."""
    dice = random.Random(seed)
    net = grow(seed, switches, hosts=hosts, hidden=hidden, lldp=lldp)
    net.world.advance(2 * AGEING_S)
    if not makers:
        return _play(net, dice, lost, incidents, None)
    with wired(net, dice) as wire:
        return _play(net, dice, lost, incidents, wire.read)


def _play(
    net: Net, dice: random.Random, lost: float, incidents: int, by: Callable[[str], Reading | None] | None
) -> Score:
    replay, score = Replay(), Score()
    expected: dict[MacAddress, tuple[FindingKind, float]] = {}
    known: dict[str, Finding] = {}
    for _, reading in rounds(net, dice, count=6, interval_s=INTERVAL_S, lost=lost, by=by):
        for finding in _new(replay.apply(reading), known):
            score.false[finding.kind] += 1
    _score_homes(net, replay, score)
    movable = [host for host in net.hosts if host.at and host.at[0] not in net.hidden]
    chosen = dice.sample(movable, min(len(movable), 3 * incidents))
    visible = [name for name in net.world.switches if name not in net.hidden]
    for number, host in enumerate(chosen):
        kind = (FindingKind.MOVED, FindingKind.FLAPPING, FindingKind.DUPLICATE)[number % 3]
        begin_s = net.world.now + dice.uniform(0, INTERVAL_S)
        _incident(net, dice, host, kind, begin_s, visible)
        expected[host.mac] = (kind, begin_s)
        score.happened[kind] += 1
    for at, reading in rounds(net, dice, count=24, interval_s=INTERVAL_S, lost=lost, by=by):
        for finding in _new(replay.apply(reading), known):
            mac = finding.subject.mac
            happened = expected.get(mac) if mac is not None else None
            if happened is not None and finding.kind is happened[0]:
                score.noticed[finding.kind] += 1
                score.delays_s.append(at - happened[1])
            elif happened is None or finding.kind is not FindingKind.MOVED:
                # The first jump of a flap is a move until it comes back: that is no false one.
                score.false[finding.kind] += 1
    return score


def _new(changed: list[Finding], known: dict[str, Finding]) -> list[Finding]:
    """Findings that opened for the first time. Lost readings make switches late, which is no mistake."""
    found = [one for one in changed if one.key not in known and one.kind is not FindingKind.NOT_READ]
    known |= {one.key: one for one in changed}
    return found


def _incident(
    net: Net, dice: random.Random, host: Host, kind: FindingKind, begin_s: float, names: list[str]
) -> None:
    world = net.world
    assert host.at is not None
    home = host.at
    other = (dice.choice([name for name in names if name != home[0]]), PORTS - dice.randrange(3))
    if kind is FindingKind.MOVED:
        world.after(begin_s - world.now, lambda: world.move(host, other))
    elif kind is FindingKind.FLAPPING:
        for step in range(8):
            to = other if step % 2 == 0 else home
            world.after(begin_s - world.now + 45 * step, lambda to=to: world.move(host, to))  # type: ignore[misc]
    else:
        twin = Host(
            name=f"{host.name}-twin",
            kind="host",
            mac=host.mac,
            vlan=host.vlan,
            every_s=10,
            peer=host.peer,
            broadcasts=0.3,
        )
        world.after(begin_s - world.now, lambda: _plug_twin(net, twin, other))


def _plug_twin(net: Net, twin: Host, at: tuple[str, int]) -> None:
    twin.at = at
    net.world.add_host(twin)


def _score_homes(net: Net, replay: Replay, score: Score) -> None:
    towards = {name: net.ports_towards(name) for name in net.hidden}
    for host in net.hosts:
        if host.at is None:
            continue
        switch, port = host.at
        home = replay.home_of(host.mac)
        if switch in net.hidden:
            # It must be placed at a port that is cabled to the switch that is not read; where that one
            # joins others, at none of them: the address is heard through uplinks only.
            score.hidden += 1
            if home.at is not None:
                score.beyond += home.at.port in towards[switch]
            else:
                score.beyond += len(towards[switch]) > 1
        elif key_of(host.mac, host.vlan) in replay.facts.table(switch).learned:
            score.homes += 1
            score.right += home.at is not None and home.at.port == (switch, f"p{port}")


CASES: tuple[tuple[str, int, dict[str, object]], ...] = (
    ("5 switches", 5, {}),
    ("20 switches", 20, {}),
    ("60 switches", 60, {}),
    ("20, 2 hidden", 20, {"hidden": 2}),
    ("20, 10 % of readings lost", 20, {"lost": 0.1}),
    ("20, of seven makers", 20, {"makers": True}),
    ("200 switches", 200, {"hosts": 4, "incidents": 5}),
)


def main() -> None:
    print(
        f"{'network':28}{'LLDP':>6}{'homes right':>14}{'hidden':>9}{'moved':>9}{'flapping':>10}{'cloned':>9}"
        f"{'false':>7}{'to notice':>12}"
    )
    for name, switches, options in CASES:
        for lldp in (True, False):
            began = time.process_time()
            scores = [
                play(seed, switches, lldp=lldp, **options)  # type: ignore[arg-type]
                for seed in range(1, 2 if switches > 100 else 4)
            ]
            _row(name, lldp, scores, time.process_time() - began)


def _row(name: str, lldp: bool, scores: list[Score], cpu_s: float) -> None:
    homes, right = sum(one.homes for one in scores), sum(one.right for one in scores)
    noticed = [
        f"{sum(one.noticed[kind] for one in scores)}/{sum(one.happened[kind] for one in scores)}"
        for kind in (FindingKind.MOVED, FindingKind.FLAPPING, FindingKind.DUPLICATE)
    ]
    hidden = f"{sum(one.beyond for one in scores)}/{sum(one.hidden for one in scores)}"
    false = sum(sum(one.false.values()) for one in scores)
    delays = [delay for one in scores for delay in one.delays_s]
    median = f"{statistics.median(delays):.0f} s" if delays else "-"
    print(
        f"{name:28}{'yes' if lldp else 'no':>6}{100 * right / max(1, homes):>12.2f} %{hidden:>9}"
        f"{noticed[0]:>9}{noticed[1]:>10}{noticed[2]:>9}{false:>7}{median:>12}   ({cpu_s:.0f} s CPU)",
        flush=True,
    )


if __name__ == "__main__":
    main()
