"""What happens in networks, and what is said of it: false findings, misses, homes over time, by groups."""

import random
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import timedelta
from itertools import pairwise

from bench.network_cases import DUE_AFTER, Case, cases
from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading, key_of
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Confidence, choose_home
from kiteroll.core.topology.path import path_to
from kiteroll.lab.random_worlds import AGEING_S, START, Net, rounds
from kiteroll.lab.world import Host

_QUIET_ROUNDS = 5
Places = dict[str, list[tuple[float, tuple[str, int] | None]]]
"""Where each host was of late, and since when; None: unplugged."""


@dataclass
class Score:
    false: Counter[FindingKind] = field(default_factory=Counter)
    loops: int = 0
    moved: int = 0
    moves: int = 0
    hidden_s: float = 0
    """For how long something that was due was not told by itself."""
    homes: Counter[str] = field(default_factory=Counter)
    paths: Counter[bool] = field(default_factory=Counter)
    """From every switch to every host, in the end: whether each hop goes over an open cable, to its home."""
    words: Counter[tuple[Confidence, bool]] = field(default_factory=Counter)


def play(case: Case, seed: int) -> Score:
    dice, replay, score = random.Random(seed), Replay(rules=case.rules), Score()
    net = case.build(seed)
    net.world.advance(2 * AGEING_S)
    for _, reading in rounds(net, dice, count=_QUIET_ROUNDS, interval_s=case.interval_s):
        _apply(case, replay, reading)
    case.happen(net, dice)
    lately: Places = {}
    began, next_look = net.world.now, net.world.now + case.interval_s
    count = max(2, round(case.minutes * 60 / case.interval_s))
    for at, reading in rounds(net, dice, count=count, interval_s=case.interval_s):
        _apply(case, replay, reading)
        _note_places(net, lately, at - 2 * case.interval_s - 30)
        if at >= next_look:
            _look_at_homes(net, replay, score, lately)
            score.hidden_s += case.interval_s * _hidden(case, replay, at - began - case.due_from_s)
            next_look = at + case.interval_s
    _score_findings(case, replay, score)
    _look_at_paths(net, replay, score)
    return score


def _apply(case: Case, replay: Replay, reading: Reading) -> None:
    taken = reading if case.change is None else case.change(reading)
    if taken is not None:
        replay.apply(taken)


def _note_places(net: Net, lately: Places, since: float) -> None:
    """Where hosts were of late: a reading may report no later than that."""
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
        if not any(_can_be_known(host, replay, lately[host.name][-1][0]) for host in hosts):
            continue
        home = replay.home_of(mac)
        there = {(at[0], f"p{at[1]}") for host in hosts for _, at in lately[host.name] if at is not None}
        right = home.at is not None and home.at.port in there
        score.homes["none" if home.at is None else "right" if right else "wrong"] += 1
        if home.at is not None:
            score.words[home.confidence, right] += 1


def _look_at_paths(net: Net, replay: Replay, score: Score) -> None:
    topology = replay.facts.topology(fresh=True)
    for host in net.hosts:
        sightings = replay.facts.sightings([host.mac], START)[host.mac]
        home = choose_home(sightings).at
        if host.at is None or home is None or home.port != (host.at[0], f"p{host.at[1]}"):
            continue
        for start in net.world.switches.keys() - net.hidden:
            hops = path_to(home, sightings, start, topology)
            ends = [(one.switch, int(one.port[1:])) for one in hops]
            steps = all(
                _is_open(net, here) and net.cables[here][0] == there[0] for here, there in pairwise(ends)
            )
            score.paths[bool(hops) and hops[-1].switch == host.at[0] and steps] += 1


def _is_open(net: Net, end: tuple[str, int]) -> bool:
    """Whether a cable is there that spanning tree keeps shut at neither end."""
    far = net.cables.get(end)
    ports = [net.world.switches[switch].ports[number] for switch, number in (end, far)] if far else []
    return bool(ports) and not any(port.blocked for port in ports)


def _hidden(case: Case, replay: Replay, since_s: float) -> int:
    """How many kinds that are due are reported as part of another finding, or were never reported."""
    reported = {one.kind for one in replay.findings.values() if not one.part_of}
    return sum(since_s >= DUE_AFTER[kind] for kind in case.due - reported)


def _can_be_known(host: Host, replay: Replay, since: float) -> bool:
    """Whether its switch was read after it came, `since`, and after it spoke within an ageing time."""
    if host.at is None:
        return False
    table = replay.facts.table(host.at[0])
    read = table.read_at is not None and table.read_at >= START + timedelta(seconds=since)
    return read and any(key_of(host.mac, vlan) in table.learned for vlan in (host.vlan, None))


def _score_findings(case: Case, replay: Replay, score: Score) -> None:
    whole = [one for one in replay.findings.values() if not one.part_of]
    score.loops = sum(one.kind is FindingKind.LOOP and one.subject.switch in case.loop_at for one in whole)
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


def _hidden_text(case: Case, scores: Iterable[Score]) -> str:
    minutes = sum(one.hidden_s for one in scores) / 60
    return f"{minutes:>6.0f} min" if case.due else f"{'-':>10}"


def _paths_text(case: Case, scores: Iterable[Score]) -> str:
    paths: Counter[bool] = sum((one.paths for one in scores), Counter())
    known = case.group in ("at rest", "rings") and "hidden" not in case.name and paths.total()
    return f"{100 * paths[True] / paths.total():>11.2f} %" if known else f"{'-':>13}"


def _share_right(scores: Iterable[Score], word: Confidence) -> str:
    words: Counter[tuple[Confidence, bool]] = sum((one.words for one in scores), Counter())
    said = words[word, True] + words[word, False]
    return f"{100 * words[word, True] / said:.2f} %" if said else "-"


def _moved(findings: Iterable[Finding]) -> set[MacAddress]:
    return {
        one.subject.mac for one in findings if one.kind is FindingKind.MOVED and one.subject.mac is not None
    }


def main() -> None:
    print(
        f"{'group':16}{'case':40}{'false':>7}{'loops':>7}{'moved':>8}{'right':>9}{'wrong':>10}{'none':>10}"
        f"{'sure right':>12}{'likely right':>14}{'hidden':>10}{'paths right':>13}"
    )
    total: Counter[str] = Counter()
    every: list[Score] = []
    for case in cases():
        scores = [play(case, seed) for seed in range(1, 4)]
        every += scores
        homes: Counter[str] = sum((one.homes for one in scores), Counter())
        seen = max(1, homes.total())
        sure, likely = (_share_right(scores, word) for word in (Confidence.SURE, Confidence.LIKELY))
        false: Counter[FindingKind] = sum((one.false for one in scores), Counter())
        loops = f"{sum(one.loops > 0 for one in scores)}/3" if case.loop_at else "-"
        moves = sum(one.moves for one in scores)
        moved = f"{sum(one.moved for one in scores)}/{moves}" if moves else "-"
        shares = [f"{100 * homes[word] / seen:>7.2f} %" for word in ("right", "wrong", "none")]
        kinds = ", ".join(f"{count} {kind.value}" for kind, count in false.items())
        print(
            f"{case.group:16}{case.name:40}{false.total():>7}{loops:>7}{moved:>8}"
            f"{' '.join(shares)}"
            f"{sure:>12}{likely:>14}{_hidden_text(case, scores)}{_paths_text(case, scores)}  {kinds}",
            flush=True,
        )
        total += Counter({kind.value: count for kind, count in false.items()})
    print("false findings in all:", dict(total))
    sure, likely = (_share_right(every, word) for word in (Confidence.SURE, Confidence.LIKELY))
    print(f"of all homes called sure {sure} were right, of those called likely {likely}")


if __name__ == "__main__":
    main()
