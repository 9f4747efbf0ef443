"""The demo's story, told by simulated time: each event yields exactly the finding it should."""

import random
from collections.abc import Iterator
from datetime import timedelta

import pytest

from kiteroll.core.findings.finding import Cause, Finding, FindingKind
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.replay import Replay
from kiteroll.lab import story, tarn_ferries
from kiteroll.lab.random_worlds import Net, rounds
from kiteroll.lab.site import SETTLE_S
from tests.support.factories import rule_book

INTERVAL_S = 10.0
_RECOGNISED_WITHIN = timedelta(minutes=2)
"""What a loop or a clone makes of addresses stands by itself until that is recognised."""


def _findings(*, events: bool, seconds: float, seed: int) -> list[Finding]:
    """Findings that stood by themselves for long enough, each at its last state."""
    world = tarn_ferries.build()
    world.advance(SETTLE_S)
    net = Net(world, frozenset(), list(world.hosts.values()), world.cables)
    replay = Replay(rules=_rules(list(world.switches)))
    if events:
        story.schedule(world, lambda line: None)
    count = int(seconds / INTERVAL_S)
    reported: dict[str, Finding] = {}
    for _, reading in rounds(net, random.Random(seed), count=count, interval_s=INTERVAL_S):
        replay.apply(reading)
        for one in replay.engine.lifecycle.live().values():
            if not one.part_of and reading.taken_at - one.opened_at >= _RECOGNISED_WITHIN:
                reported[one.key] = one
    return list(reported.values())


def _rules(switches: list[str]) -> RuleBook:
    """The rules of the demo."""
    groups = {name: Rule(seats=seats) for name, seats in tarn_ferries.SEATS.items()}
    for name, kinds in tarn_ferries.WATCHED.items():
        roll = tuple(Enrolled(f"{kind.prefix:06x}", kind.vlan) for kind in kinds)
        groups[name] = Rule(watched=True, roll=roll)
    desk = (tarn_ferries.WATCHED_DESK[0], f"p{tarn_ferries.WATCHED_DESK[1]}")
    laptop, lost = (
        tarn_ferries.own_address(name).digits for name in (tarn_ferries.DESK_LAPTOP, tarn_ferries.LOST_LAPTOP)
    )
    at_desk = Enrolled(laptop, level=Level(switch=desk[0], port=desk[1]))
    return rule_book(
        groups=groups,
        ports={desk: Rule(seats=1, watched=True, vlans=frozenset({10}), roll=(at_desk,))},
        in_groups={name: tarn_ferries.groups_of(name) for name in switches},
        barred=[Barred(lost, "lost")],
    )


@pytest.fixture(scope="module")
def found() -> Iterator[list[Finding]]:
    yield _findings(events=True, seconds=1600, seed=4)


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
    of_kind = [each for each in found if each.kind is kind]
    assert of_kind and all(each.cause is cause and each.evidence for each in of_kind)


def test_the_same_network_at_peace_yields_none() -> None:
    assert _findings(events=False, seconds=300, seed=5) == []
