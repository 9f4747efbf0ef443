"""The finding engine, driven by readings in memory: what the service and `kiteroll replay` run."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.engine import FindingEngine, SwitchRead
from kiteroll.core.findings.finding import Cause, FindingKind, State
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Neighbour, Reading
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.sighting import Sighting
from tests.support.factories import at, mac, reading, rule_book


def _flapping() -> list[Reading]:
    """mac(1) goes to and fro between p1 and p2, whose links stay up; mac(2) stays."""
    return [reading(minute, {(1, 10): "p1" if minute % 2 else "p2", (2, 10): "p3"}) for minute in range(9)]


def _open(replay: Replay) -> set[FindingKind]:
    return {one.kind for one in replay.findings.values() if one.state is State.OPEN}


def _played(replay: Replay, readings: Iterable[Reading]) -> Replay:
    for one in readings:
        replay.apply(one)
    return replay


@pytest.mark.parametrize(
    ("shared", "expected"),
    [((), {mac(1)}), ((mac(1).digits,), set()), (("021a01",), set()), ((mac(2).digits,), {mac(1)})],
    ids=["not shared", "the address is shared", "its prefix is shared", "another is shared"],
)
def test_what_is_shared_by_design_raises_nothing(shared: tuple[str, ...], expected: set[object]) -> None:
    replay = _played(Replay(shared=shared), _flapping())
    assert {one.subject.mac for one in replay.findings.values()} == expected


def test_thresholds_decide_what_counts() -> None:
    strict = {one.kind for one in _played(Replay(), _flapping()).findings.values()}
    lax = {one.kind for one in _played(Replay(Thresholds(flap_moves=50)), _flapping()).findings.values()}
    assert lax == set() != strict


@pytest.mark.parametrize(
    ("down", "link_changed"), [((), False), (("p1",), True)], ids=["stays up", "goes down"]
)
def test_a_link_that_is_read_for_the_first_time_has_not_changed(
    down: tuple[str, ...], link_changed: bool
) -> None:
    later = [reading(minute, {(1, 10): "p2"}, down=down) for minute in (1, 2)]
    (moved,) = _played(Replay(), [reading(0, {(1, 10): "p1"}), *later]).findings.values()
    assert (moved.kind, moved.details.link_changed) == (FindingKind.MOVED, link_changed)


def test_everybody_on_a_new_switch_is_no_flood_and_a_crowd_later_is() -> None:
    crowd = {(number, 10): "p5" for number in range(100, 180)}
    replay = _played(Replay(), [reading(0, crowd)])
    assert replay.findings == {}
    replay = _played(Replay(), [reading(0, {(1, 10): "p1"}), reading(1, {(1, 10): "p1"} | crowd)])
    assert _open(replay) == {FindingKind.FLOOD}


def test_a_broken_rule_must_last_before_it_is_reported() -> None:
    rules = rule_book(switches={"quay-1": Rule(seats=1)})
    delay = Thresholds().port_rule_delay
    two = {(1, 10): "p1", (2, 10): "p1"}
    replay = _played(Replay(rules=rules), [reading(0, {(1, 10): "p1"}), reading(1, two)])
    assert _open(replay) == set()
    replay.advance(at(1) + delay + timedelta(seconds=30))
    assert _open(replay) == set(), "the one that came may have taken the place of the other"
    for minute in range(2, 8):
        replay.apply(reading(minute, two))
    assert _open(replay) == {FindingKind.OVERFULL}
    crowd = {(number, 10): "p1" for number in range(1, 5)}
    new = _played(Replay(rules=rules), [reading(0, {(1, 10): "p1"}), reading(1, crowd)])
    new.advance(at(1) + delay + timedelta(seconds=30))
    assert _open(new) == set(), "the switch is read since a minute ago: the port may be an uplink"
    new.advance(at(1) + 6 * delay + timedelta(seconds=30))
    assert _open(new) == {FindingKind.OVERFULL}
    known = _played(Replay(rules=rules), [reading(minute, {(1, 10): "p1"}) for minute in range(12)])
    known.apply(reading(12, crowd))
    known.advance(at(12) + timedelta(seconds=15))
    assert _open(known) == {FindingKind.OVERFULL}
    brief = _played(Replay(rules=rules), [reading(0, two), reading(0.1, {(1, 10): "p1"})])
    brief.advance(at(5))
    assert FindingKind.OVERFULL not in {one.kind for one in brief.findings.values()}


def test_a_crowd_behind_a_bridge_that_is_not_in_the_inventory_is_explained_by_it() -> None:
    crowd = {(number, 10): "p5" for number in range(1, 5)}
    hut = Neighbour(port="p5", chassis="hut", name="hut", capabilities=("bridge",))
    replay = Replay(rules=rule_book(switches={"quay-1": Rule(seats=2)}))
    replay = _played(replay, [replace(reading(minute, crowd), neighbours=(hut,)) for minute in range(4)])
    (one,) = replay.findings.values()
    assert (one.kind, one.cause, one.details.bridge) == (FindingKind.OVERFULL, Cause.BRIDGE_BEHIND, "hut")


def test_ports_fall_silent_and_a_switch_late_with_time() -> None:
    there = [reading(15 * turn, {(1, 10): "p1" if turn else "p2"}) for turn in range(101)]
    replay = _played(Replay(), there)
    assert "p1" not in _silent(replay) and {"p3", "p24"} <= _silent(replay)
    assert FindingKind.NOT_READ not in _open(replay)
    replay.advance(at(60 * 29))
    assert FindingKind.NOT_READ in _open(replay)


def test_a_port_is_silent_only_for_as_long_as_its_switch_was_read() -> None:
    read = [reading(15 * turn, {(1, 10): "p1"}) for turn in (*range(40), *range(60, 155))]
    replay = _played(Replay(), read)
    assert not _silent(replay), "who was there while nobody looked is not known"
    replay = _played(replay, [reading(15 * turn, {(1, 10): "p1"}) for turn in range(155, 158)])
    assert {"p3", "p24"} <= _silent(replay)
    replay = _played(replay, [reading(15 * turn, {(1, 10): "p1"}) for turn in range(200, 203)])
    assert {"p3", "p24"} <= _silent(replay), "that readings paused since does not end it"


def _silent(replay: Replay) -> set[str]:
    live = (one for one in replay.findings.values() if one.state is not State.CLEARED)
    return {one.subject.port for one in live if one.kind is FindingKind.SILENT_PORT}


def test_what_the_facts_cut_off_is_judged_by_the_next_step() -> None:
    """A database that goes away in the middle of a step loses no event."""

    class Flaky(MemoryFacts):
        broken = False

        def sightings(
            self, macs: Sequence[MacAddress], since: datetime
        ) -> Mapping[MacAddress, Sequence[Sighting]]:
            if self.broken:
                raise StorageUnavailable("the database does not answer")
            return super().sightings(macs, since)

    facts = Flaky(hold_time=None, shared=(), rules=RuleBook())
    engine = FindingEngine(Thresholds())
    for minute, port in enumerate(("p1", "p2")):
        one = reading(minute, {(1, 10): port}, down=("p1",) if minute else ())
        changes = facts.apply(one)
        assert changes is not None
        facts.now = one.taken_at
        engine.enqueue(SwitchRead(switch="quay-1", at=one.taken_at, changes=changes, first=minute == 0))
    facts.broken = True
    with pytest.raises(StorageUnavailable):
        engine.step(facts, lambda keys: {}, at(1))
    facts.broken = False
    found = engine.step(facts, lambda keys: {}, at(1)).changed
    assert [(one.kind, one.subject.mac) for one in found] == [(FindingKind.MOVED, mac(1))]


def test_rules_that_changed_while_the_facts_were_away_are_judged_by_the_next_step() -> None:
    class Flaky(MemoryFacts):
        broken = False

        def switch_addresses(self) -> Collection[MacAddress]:
            if self.broken:
                raise StorageUnavailable("the database does not answer")
            return super().switch_addresses()

    facts = Flaky(hold_time=None, shared=(), rules=rule_book(switches={"quay-1": Rule(seats=1)}))
    engine = FindingEngine(Thresholds(port_rule_delay=timedelta(0)))
    one = reading(0, {(1, 10): "p1", (2, 10): "p1"})
    facts.apply(one)
    facts.now = one.taken_at
    facts.broken = True
    with pytest.raises(StorageUnavailable):
        engine.step(facts, lambda keys: {}, at(0))
    facts.broken = False
    found = engine.step(facts, lambda keys: {}, at(0)).changed
    assert [one.kind for one in found] == [FindingKind.OVERFULL]


def test_a_clock_that_steps_back_neither_ends_nor_doubles_anything() -> None:
    readings = [reading(minute, {(1, 10): "p1"}) for minute in (0, 1, 2)]
    back = [reading(minute, {(1, 10): "p2"}) for minute in (1, 1.5)]
    replay = _played(Replay(), [*readings, *back])
    assert (replay.readings, replay.ignored, replay.now) == (5, 2, at(2))
    assert replay.findings == {}
    _played(replay, [reading(minute, {(1, 10): "p2"}) for minute in (3, 4)])
    assert _open(replay) == {FindingKind.MOVED}


def test_a_step_looks_at_a_bounded_number_of_places_and_the_next_one_goes_on(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr("kiteroll.core.findings.address_evaluation._FIRST_ADDRESSES", 10)
    monkeypatch.setattr("kiteroll.core.findings.address_evaluation._SIGHTINGS_AT_ONCE", 20)
    monkeypatch.setattr("kiteroll.core.findings.address_evaluation._MAX_SIGHTINGS", 100)
    asked: list[int] = []

    class Facts(MemoryFacts):
        def sightings(
            self, macs: Sequence[MacAddress], since: datetime
        ) -> Mapping[MacAddress, Sequence[Sighting]]:
            asked.append(len(macs))
            return super().sightings(macs, since)

    facts = Facts(hold_time=None, shared=(), rules=RuleBook())
    engine = FindingEngine(Thresholds())
    facts.now = at(0)
    facts.apply(reading(0, {(number, 10): "p1" for number in range(200)}))
    changes = facts.apply(reading(1, {(number, 10): "p2" for number in range(200)}, down=("p1",)))
    assert changes is not None
    engine.enqueue(SwitchRead(switch="quay-1", at=at(1), changes=changes))
    moved: set[str] = set()
    steps = 0
    while True:
        facts.now = at(1)
        step = engine.step(facts, lambda _: {}, at(1))
        steps += 1
        moved |= {one.key for one in step.changed if one.kind is FindingKind.MOVED}
        if step.wake_at > at(1):
            break
    assert len(moved) == 200 and 3 < steps < 20 and max(asked) <= 20


def test_an_address_that_went_behind_an_uplink_is_asked_for_at_the_switch_there() -> None:
    """That switch may not be read for minutes."""
    quay, hall = (
        Neighbour(port="p24", chassis=name, name=name, capabilities=("bridge",))
        for name in ("quay-1", "hall")
    )
    facts = MemoryFacts(hold_time=None, shared=(), rules=RuleBook())
    engine = FindingEngine(Thresholds())
    probes = []
    for minute, port in ((0, "p1"), (1, "p24")):
        for one in (
            replace(reading(minute, {(1, 10): "p24"}, switch="hall"), neighbours=(quay,)),
            replace(reading(minute + 0.1, {(1, 10): port}), neighbours=(hall,)),
        ):
            facts.now = one.taken_at
            changes = facts.apply(one)
            assert changes is not None
            engine.enqueue(SwitchRead(switch=one.switch, at=one.taken_at, changes=changes, first=not minute))
            facts.now = one.taken_at + timedelta(seconds=10)
            probes += engine.step(facts, lambda _: {}, facts.now).probes
    assert [(one.mac, one.places) for one in probes] == [(mac(1), (("hall", 10),))]
