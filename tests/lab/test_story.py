"""The demo's story, told by simulated time: each event yields exactly the finding it should."""

import random
from collections.abc import Iterator

import pytest

from kiteroll.core.findings.finding import Cause, Finding, FindingKind
from kiteroll.core.policy.port_rules import Enrolled, Rule, RuleBook
from kiteroll.core.replay.replay import Replay
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
    if events:
        story.schedule(world, lambda line: None)
    count = int(seconds / INTERVAL_S)
    for _, reading in rounds(net, random.Random(seed), count=count, interval_s=INTERVAL_S):
        replay.apply(reading)
    return [one for one in replay.findings.values() if not one.part_of]


def _rules(switches: list[str]) -> RuleBook:
    """The rules of the demo."""
    groups = {name: Rule(seats=seats) for name, seats in tarn_ferries.SEATS.items()}
    for name, kinds in tarn_ferries.WATCHED.items():
        roll = tuple(Enrolled(f"{kind.prefix:06x}", kind.vlan) for kind in kinds)
        groups[name] = Rule(watched=True, roll=roll)
    return RuleBook(groups=groups, in_groups={name: tarn_ferries.groups_of(name) for name in switches})


@pytest.fixture(scope="module")
def found() -> Iterator[list[Finding]]:
    yield _findings(events=True, seconds=1500, seed=4)


def test_each_event_yields_its_finding_and_no_other(found: list[Finding]) -> None:
    subjects = {
        (one.kind.value, story.subject_name(one.kind.value, one.subject.mac, one.subject.switch))
        for one in found
    }
    assert subjects == story.FINDINGS


@pytest.mark.parametrize(
    ("kind", "cause"),
    [
        (FindingKind.OVERFULL, Cause.SEVERAL_DEVICES),
        (FindingKind.STRANGER, Cause.NOT_ENROLLED),
        (FindingKind.DUPLICATE, Cause.CLONED),
        (FindingKind.LOOP, Cause.SECOND_CABLE),
        (FindingKind.RESTARTED, Cause.RESTART),
    ],
)
def test_the_cause_is_the_right_one(found: list[Finding], kind: FindingKind, cause: Cause) -> None:
    (one,) = (each for each in found if each.kind is kind)
    assert one.cause is cause
    assert one.evidence


def test_the_same_network_at_peace_yields_none() -> None:
    assert _findings(events=False, seconds=300, seed=5) == []
