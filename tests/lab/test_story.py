"""The demo's story, told by simulated time: each event yields exactly the finding it should."""

import random
from collections.abc import Iterator

import pytest

from kiteroll.core.findings.book import FindingBook
from kiteroll.core.findings.model import Finding, Kind
from kiteroll.core.replay import Replay
from kiteroll.core.rules import Enrolled, Rule, RuleBook
from kiteroll.lab import story, tarn_ferries
from kiteroll.lab.random_worlds import Net, rounds
from kiteroll.lab.site import SETTLE_S

INTERVAL_S = 10.0


def _findings(*, events: bool, seconds: float, seed: int) -> list[Finding]:
    """Every finding at its last state, explained ones left out."""
    world = tarn_ferries.build()
    world.advance(SETTLE_S)
    net = Net(world, frozenset(), list(world.hosts.values()), world.cables)
    replay = Replay(rules=_rules(list(world.switches)))
    book = FindingBook(replay.limits)
    last: dict[str, Finding] = {}
    if events:
        story.schedule(world, lambda line: None)
    for _, reading in rounds(
        net, random.Random(seed), count=int(seconds / INTERVAL_S), interval_s=INTERVAL_S
    ):
        changed = [
            found
            for sign in replay.take(reading)
            for found in book.take(sign, last.get(f"{sign.kind.value}|{sign.subject.key}"))
        ]
        last.update({one.key: one for one in (*changed, *book.tick(reading.taken_at))})
    return [one for one in last.values() if not one.part_of]


def _rules(switches: list[str]) -> RuleBook:
    """What the demo says of its ports."""
    groups = {name: Rule(seats=seats) for name, seats in tarn_ferries.SEATS.items()}
    for name, kinds in tarn_ferries.WATCHED.items():
        roll = tuple(Enrolled(f"{kind.prefix:06x}", kind.vlan) for kind in kinds)
        groups[name] = Rule(watched=True, roll=roll)
    return RuleBook(groups=groups, in_groups={name: tarn_ferries.groups_of(name) for name in switches})


@pytest.fixture(scope="module")
def told() -> Iterator[list[Finding]]:
    yield _findings(events=True, seconds=720, seed=4)


def test_each_event_yields_its_finding_and_no_other(told: list[Finding]) -> None:
    laptop, cradle = tarn_ferries.own_address("laptop-1"), tarn_ferries.own_address("cradle-9")
    kiosk = tarn_ferries.own_address("kiosk-2")
    subjects = {(one.kind, one.subject.mac or one.subject.switch) for one in told}
    assert subjects == {
        (Kind.MOVED, laptop),
        (Kind.MOVED, cradle),
        (Kind.RESTARTED, "weighbridge"),
        (Kind.DOUBLED, kiosk),
        (Kind.OVERFULL, "checkin-east"),
        (Kind.STRANGER, tarn_ferries.VISITOR),
        (Kind.LOOP, "baggage-hall"),
    }


@pytest.mark.parametrize(
    ("kind", "cause"),
    [
        (Kind.OVERFULL, "several devices behind one port"),
        (Kind.STRANGER, "a device nobody enrolled"),
        (Kind.DOUBLED, "cloned address"),
        (Kind.LOOP, "loop"),
        (Kind.RESTARTED, "its uptime began anew"),
    ],
)
def test_the_cause_is_the_right_one(told: list[Finding], kind: Kind, cause: str) -> None:
    (one,) = (each for each in told if each.kind is kind)
    assert one.cause.startswith(cause)
    assert one.evidence


def test_the_same_network_at_peace_yields_none() -> None:
    assert _findings(events=False, seconds=300, seed=5) == []
