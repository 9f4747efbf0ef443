"""A switch gets another name: nothing is reported that is not so, and what was reported goes on."""

import asyncio
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from kiteroll.app.port_rules import Author
from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.model.reading import Reading
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_changes import RuleSet
from kiteroll.store import findings
from kiteroll.store.database import Database
from kiteroll.store.findings import FindingRow
from tests.support.factories import at, mac, reading, rule_book
from tests.support.live import LiveRun

RULES = rule_book(
    switches={"east": Rule(watched=True, roll=(Enrolled("021a01000001", level=Level(switch="east")),))}
)


@pytest.fixture
def live(database: Database, tmp_path: Path) -> Iterator[LiveRun]:
    """Two switches, linked at p24 of each; who is at `east` has to be enrolled, and one is not."""
    with LiveRun(database, tmp_path / "data", ["east", "west"]) as run:
        run.parts.rules.port_rules.replace_all(RuleSet(RULES.rules), Author("Mara"))
        for minute in range(4):
            _minute(run, minute, "east")
        yield run


def _minute(live: LiveRun, minute: float, east: str) -> None:
    own = {(1, 10): "p1", (9, 10): "p9"}
    beyond = {(number, 10): "p24" for number in (4, 5, 6)}
    live.store(_of(minute, own | beyond | {(90, 1): "p24"}, east, 91))
    live.store(_of(minute + 0.1, {(4, 10): "p4", (5, 10): "p5", (6, 10): "p6", (91, 1): "p24"}, "west", 90))
    live.evaluate(at(minute + 0.2))


def _of(minute: float, learned: dict[tuple[int, int], str], switch: str, own: int) -> Reading:
    one = reading(minute, learned, switch=switch)
    return replace(one, device=replace(one.device, bridge_address=mac(own)))


def _rename(live: LiveRun, before: str, after: str) -> None:
    asyncio.run(live.parts.reading.inventory.change_switch(before, {"name": after}, ""))
    live.ids[after] = live.ids.pop(before)


def _reported(live: LiveRun) -> list[FindingRow]:
    keys = [one.key for one in live.parts.findings.worker.live()]
    return list(live.parts.storage.database.run(findings.by_keys, keys).values())


def test_nobody_behind_an_uplink_becomes_a_stranger_and_the_stranger_stays_one(live: LiveRun) -> None:
    (before,) = _reported(live)
    assert (before.finding.subject.switch, before.finding.subject.mac) == ("east", mac(9))
    _rename(live, "east", "orient")
    live.evaluate(at(3.3))
    for minute in (4, 5, 6):
        _minute(live, minute, "orient")
    (after,) = _reported(live)
    assert (after.id, after.finding.subject.switch) == (before.id, "orient")
    assert after.finding.times_opened == 1 and after.finding.opened_at == before.finding.opened_at
    assert after.finding.details.ports == (("orient", "p9"),)
    kept = live.parts.storage.database.run(findings.unfinished_findings, (), at(0))
    assert [one.key for one in kept] == [after.finding.key], "nothing is left under the old name"


def test_the_uplink_is_one_at_once_and_was_one_before(live: LiveRun) -> None:
    _rename(live, "east", "orient")
    view = live.parts.tracking.topology.now()
    assert view.topology.uplinks().keys() == {("orient", "p24"), ("west", "p24")}
    assert view.topology.uplink_before(("orient", "p24"), at(1))


def test_what_is_over_is_opened_again_under_the_new_name(live: LiveRun) -> None:
    (first,) = _reported(live)
    live.parts.findings.worker.clear(first.id, "Mara")
    _rename(live, "east", "orient")
    for minute in (4, 5):
        _minute(live, minute, "orient")
    (again,) = _reported(live)
    assert (again.id, again.finding.subject.switch, again.finding.times_opened) == (first.id, "orient", 2)


def test_who_is_barred_and_left_is_not_found_on_the_way_after_it(live: LiveRun) -> None:
    live.parts.rules.port_rules.replace_all(RuleSet(RULES.rules, (Barred(mac(4).digits),)), Author("Mara"))
    _minute(live, 4, "east")
    (barred,) = [one for one in _reported(live) if one.finding.kind is FindingKind.BARRED]
    assert barred.finding.details.ports == (("west", "p4"),)
    live.store(_of(4.5, {(5, 10): "p5", (6, 10): "p6", (91, 1): "p24"}, "west", 90))
    live.evaluate(at(4.6))
    live.parts.findings.worker.clear(barred.id, "Mara")
    _rename(live, "east", "orient")
    live.store(_of(5, {(9, 10): "p9", (4, 10): "p24", (5, 10): "p24", (90, 1): "p24"}, "orient", 91))
    live.evaluate(at(5.2))
    assert FindingKind.BARRED not in {one.finding.kind for one in _reported(live)}


@pytest.mark.parametrize("left", [True, False])
def test_after_a_start_who_is_barred_and_only_passes_is_reported_unless_he_just_left(
    live: LiveRun, database: Database, tmp_path: Path, left: bool
) -> None:
    """Beyond the uplink may be a switch that is not in the inventory."""
    who = 4 if left else 40
    live.store(_of(4, {(4, 10): "p4", (90, 1): "p24"}, "west", 90))
    live.store(_of(4.5, {(5, 10): "p5", (90, 1): "p24"}, "west", 90))
    live.parts.rules.port_rules.replace_all(RuleSet(RULES.rules, (Barred(mac(who).digits),)), Author("Mara"))
    live.__exit__(None, None, None)
    with LiveRun(database, tmp_path / "data", []) as again:
        again.ids = live.ids
        again.store(_of(5, {(9, 10): "p9", (who, 10): "p24", (90, 1): "p24"}, "east", 91))
        again.evaluate(at(5.2))
        found = [one.finding for one in _reported(again) if one.finding.kind is FindingKind.BARRED]
    assert [one.details.ports for one in found] == ([] if left else [(("east", "p24"),)])


@pytest.mark.parametrize(("read", "judged", "found"), [(9.4, 11, 0), (10.2, 10.4, 1)])
def test_a_table_that_was_read_before_it_forgot_who_left_says_nothing_of_now(
    live: LiveRun, read: float, judged: float, found: int
) -> None:
    """The ageing time is five minutes; he left at 4.5."""
    live.store(_of(4, {(4, 10): "p4", (90, 1): "p24"}, "west", 90))
    live.store(_of(4.5, {(5, 10): "p5", (90, 1): "p24"}, "west", 90))
    live.parts.rules.port_rules.replace_all(RuleSet(RULES.rules, (Barred(mac(4).digits),)), Author("Mara"))
    live.store(_of(read, {(9, 10): "p9", (4, 10): "p24", (90, 1): "p24"}, "east", 91))
    live.evaluate(at(judged))
    assert len([one for one in _reported(live) if one.finding.kind is FindingKind.BARRED]) == found


def test_a_port_that_looks_like_an_uplink_after_it_stays_under_its_rules(live: LiveRun) -> None:
    for minute in range(4, 14):
        _minute(live, minute, "east")
    _rename(live, "east", "orient")
    live.evaluate(at(13.5))
    assert _kinds_where_an_uplink_is_forged(live, "orient") >= _HELD


def test_so_it_does_after_a_restart(live: LiveRun, database: Database, tmp_path: Path) -> None:
    for minute in range(4, 14):
        _minute(live, minute, "east")
    live.__exit__(None, None, None)
    with LiveRun(database, tmp_path / "data", []) as again:
        again.ids = live.ids
        again.evaluate(at(13.5))
        kinds = _kinds_where_an_uplink_is_forged(again, "east")
    assert kinds >= _HELD


_HELD = {FindingKind.STRANGER, FindingKind.UPLINK_CLAIMED}


def _kinds_where_an_uplink_is_forged(live: LiveRun, switch: str) -> set[FindingKind]:
    """Of what is reported after frames of the other switch came from the stranger's port for some minutes."""
    for minute in range(14, 18):
        live.store(_of(minute, {(9, 10): "p9", (90, 1): "p9"}, switch, 91))
        live.evaluate(at(minute + 0.2))
    return {one.finding.kind for one in _reported(live)}
