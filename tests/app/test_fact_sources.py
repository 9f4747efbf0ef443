"""One contract, two sources: the records of the service and a replay's memory give the same facts, and
so the engine finds the same in both."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from kiteroll.app.finding_facts import StoredFacts
from kiteroll.app.port_rules import Author
from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.rule_changes import RuleSet
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.refresh import TopologyRefresh
from kiteroll.store.database import Database
from tests.support.factories import at, mac, reading, rule_book
from tests.support.live import LiveRun

RULES = rule_book(
    switches={"east": Rule(seats=2, watched=True, roll=(Enrolled("021a01", level=Level(switch="east")),))}
)


def _story() -> list[Reading]:
    """Two switches: one address flaps between two ports, one moves to the other switch, a crowd comes
    to a port that has two seats, an IP goes to and fro, and the address of west is learned at east."""
    found = []
    for minute in range(14):
        east = {(1, 10): "p1" if minute % 2 else "p2", (3, 10): "p3", (90, 1): "p24"}
        west = {(4, 10): "p4", (91, 1): "p24"}
        (east if minute < 5 else west)[2, 10] = "p5"
        if minute > 6:
            east |= {(number, 10): "p9" for number in (20, 21, 22)}
        for late, (name, learned) in enumerate((("east", east), ("west", west))):
            one = reading(minute + 0.1 * late, learned, switch=name, down=("p20",))
            device = replace(one.device, bridge_address=mac(91 if name == "east" else 90))
            ips = {"10.0.0.5": mac(3 + minute % 2), "10.0.0.9": mac(4)}
            found.append(replace(one, device=device, addresses=ips if name == "east" else {}))
    return found


@pytest.fixture
def live(database: Database, tmp_path: Path) -> Iterator[LiveRun]:
    with LiveRun(database, tmp_path / "data", ["east", "west"]) as run:
        run.parts.rules.port_rules.replace_all(RuleSet(RULES.rules), Author("Mara"))
        yield run


def test_records_and_memory_answer_alike(live: LiveRun) -> None:
    memory = MemoryFacts(hold_time=timedelta(minutes=10), shared=(), rules=RULES)
    story = _story()
    for one in story:
        memory.apply(one)
        memory.now = one.taken_at
        live.store(one)
    stored, now = live.facts, story[-1].taken_at
    live.clock.set(now)
    macs = [mac(number) for number in (1, 2, 3, 4, 20, 90)]
    since = now - timedelta(minutes=10)
    ports = [("east", "p1"), ("east", "p9"), ("west", "p5"), ("east", "p20")]
    assert stored.topology(fresh=True).uplinks() == memory.topology(fresh=True).uplinks() != {}
    assert set(stored.switches()) == set(memory.switches())
    assert set(stored.switch_addresses()) == set(memory.switch_addresses()) == {mac(90), mac(91)}
    assert stored.rules().rule(("east", "p1")) == memory.rules().rule(("east", "p1"))
    assert _stays(stored, macs, since) == _stays(memory, macs, since)
    assert stored.port_facts(ports) == memory.port_facts(ports) != {}
    assert stored.link_states(ports) == memory.link_states(ports) != {}
    assert set(stored.at_several_ports(99)) == set(memory.at_several_ports(99))
    up_before = now - timedelta(minutes=1)
    assert _activity(stored, up_before) == _activity(memory, up_before)
    turns = stored.ip_turns(now - timedelta(hours=1), 3, 99)
    assert turns == memory.ip_turns(now - timedelta(hours=1), 3, 99) != {}
    assert stored.table("east").learned.keys() == memory.table("east").learned.keys()
    assert _conditions(stored) == _conditions(memory)


@pytest.mark.parametrize(
    ("reported_s", "changed_at"),
    [(110, 110), (30, 120), (None, 120)],
    ids=["since the reading before", "what it reported before", "nothing"],
)
def test_a_switch_is_believed_when_a_link_changed_where_that_can_be(
    live: LiveRun, reported_s: float | None, changed_at: float
) -> None:
    """p5 is up in two readings, and down in the next two."""
    memory = MemoryFacts(hold_time=None, shared=(), rules=RuleBook())
    for minute in range(4):
        one = reading(minute, {(1, 10): "p1"}, switch="east", down=("p5",) if minute > 1 else ())
        word = reported_s if minute > 1 else 30
        boot = (one.device.uptime_ticks or 0) - 6000 * minute
        ticks = None if word is None else boot + int(100 * word)
        ports = [replace(port, changed_ticks=ticks) if port.name == "p5" else port for port in one.ports]
        one = replace(one, ports=tuple(ports))
        memory.apply(one)
        live.store(one)
    for facts in (live.facts, memory):
        (known,) = facts.port_facts([("east", "p5")]).values()
        assert known.changed_at == at(changed_at / 60)


def test_a_link_changed_where_readings_differ_and_not_when_it_is_first_read(live: LiveRun) -> None:
    memory = MemoryFacts(hold_time=None, shared=(), rules=RuleBook())
    for minute, (ports, changed) in enumerate(
        [(("p1", "p5"), None), (("p1", "p5"), None), (("p1",), 2), (("p1", "p5"), 3), (("p1", "p5"), 3)]
    ):
        down = {"p5"} - set(ports)
        one = reading(minute, {(1, 10): "p1"}, switch="east", down=tuple(down))
        memory.apply(one)
        live.store(one)
        for facts in (live.facts, memory):
            (known,) = facts.port_facts([("east", "p5")]).values()
            assert known.changed_at == (None if changed is None else at(changed))
            assert known.steady_since == at(changed or 0)


def test_a_port_that_was_missing_in_a_reading_did_not_change_for_that(live: LiveRun) -> None:
    for minute, names in enumerate((("p1", "p5"), ("p1",), ("p1", "p5"))):
        numbers = {name: int(name[1:]) for name in names}
        one = reading(minute, {(1, 10): "p1"}, switch="east", ports=numbers)
        ticks = (one.device.uptime_ticks or 0) - 6000 * (minute + 9)
        live.store(replace(one, ports=tuple(replace(port, changed_ticks=ticks) for port in one.ports)))
    (known,) = live.facts.port_facts([("east", "p5")]).values()
    assert known.changed_at == at(-9)


def test_first_readings_wait_for_roles_that_take_long_to_work_out(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    for one in _story()[:2]:
        live.store(one)
    refresh, done = TopologyRefresh.refresh, list[float]()

    def slowly(self: TopologyRefresh, *args: Any, **options: Any) -> bool:
        live.clock.advance(0.5)
        done.append(live.clock.monotonic())
        return refresh(self, *args, **options)

    monkeypatch.setattr(TopologyRefresh, "refresh", slowly)
    before = live.facts.topology(fresh=True)
    known_at = live.facts.topology_at()
    for _ in range(4):
        live.clock.advance(1)
        assert live.facts.topology(fresh=True) is before and live.facts.topology_at() == known_at
        live.parts.tracking.topology.refresh_if_stale()
    assert len(done) == 1
    live.clock.advance(1.1)
    live.facts.topology(fresh=True)
    assert len(done) == 2 and live.facts.topology_at() != known_at


def _conditions(source: StoredFacts | MemoryFacts) -> set[tuple[object, ...]]:
    return {(one.name, one.present, one.ageing, one.read_at) for one in source.conditions()}


def _stays(source: StoredFacts | MemoryFacts, macs: list[MacAddress], since: datetime) -> object:
    found = source.sightings(macs, since)
    return {
        one: sorted(
            (str(each.stay.place), each.stay.began_at, str(each.stay.ended_at), each.present, each.uplink)
            for each in found.get(one, ())
        )
        for one in macs
    }


def _activity(source: StoredFacts | MemoryFacts, up_before: datetime) -> set[tuple[str, str]]:
    return {(one.switch, one.port) for one in source.port_activity(up_before, 999)}


def test_the_service_and_a_replay_find_the_same(live: LiveRun) -> None:
    replay = Replay(rules=RULES, hold_time=timedelta(minutes=10))
    found: dict[str, Finding] = {}
    for one in _story():
        replay.apply(one)
        found |= {each.key: each for each in live.apply(one)}
    assert _outline(found) == _outline(replay.findings)
    kinds = {one.kind.value for one in found.values()}
    assert {"overfull-port", "contested-ip", "moved"} <= kinds


def _outline(findings: Mapping[str, Finding]) -> set[tuple[object, ...]]:
    return {
        (key, one.cause, one.severity, one.part_of, one.details.macs, one.details.count)
        for key, one in findings.items()
    }
