"""Rules that are kept in memory are those of the records, whoever changes them."""

from dataclasses import replace

import pytest

from kiteroll.app.kept_rules import KeptRules
from kiteroll.app.port_rules import Author
from kiteroll.core.errors import InvalidParts, NotFound
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_changes import LevelChange
from kiteroll.store import inventory, rules
from tests.support.factories import at, reading
from tests.support.live import LiveRun


def test_they_are_read_anew_where_they_changed_and_only_there(live: LiveRun) -> None:
    database, port_rules = live.parts.storage.database, live.parts.rules.port_rules
    kept = KeptRules(database)
    author, seen = Author("Mara"), {kept.fingerprint()}
    live.store(reading(0, {(1, 10): "p1"}))

    def set_seats(level: Level, seats: int) -> None:
        port_rules.set_levels([LevelChange(level, {"seats": seats})], author)

    def is_another() -> bool:
        """Whether they were read anew; then they are those of the records."""
        before, book, known = kept.rule_set(), kept.book(), kept.fingerprint() in seen
        assert kept.rule_set() is before and kept.book() is book, "as long as nothing changes"
        assert before == database.run(rules.rule_set)
        assert (book.rules, book.in_groups) == (before.rules, database.run(rules.groups_of_switches))
        seen.add(kept.fingerprint())
        return not known

    assert not is_another()
    set_seats(EVERYTHING, 2)
    assert is_another() and not is_another()
    set_seats(Level(switch="quay-1"), 3)
    assert is_another()
    port_rules.bar([Barred("021a0b")], author)
    assert is_another()
    database.run(inventory.change_switch, at(0), "quay-1", {"name": "quay-9"})
    assert is_another() and Level(switch="quay-9") in kept.rule_set().rules
    set_seats(EVERYTHING, 4)
    assert is_another()
    groups = kept.book().in_groups
    database.run(inventory.change_switch, at(0), "quay-9", {"in_groups": ["quays"]})
    assert not is_another() and kept.book().in_groups != groups, "groups of switches are not set by rules"


def test_a_change_of_a_few_levels_is_made_with_them_and_those_of_their_switches_alone(live: LiveRun) -> None:
    database, port_rules, author = live.parts.storage.database, live.parts.rules.port_rules, Author("Mara")
    live.store(reading(0, {(1, 10): "p1"}))
    port, ports, elsewhere = (
        Level(switch="quay-1", port="p1"),
        Level(switch="quay-1", ports="p2-p4"),
        Level(group="quays"),
    )
    for level in (EVERYTHING, port, ports):
        port_rules.set_levels([LevelChange(level, {"seats": 2})], author)
    database.run(inventory.change_switch, at(0), "quay-1", {"in_groups": ["quays"]})
    port_rules.set_levels([LevelChange(elsewhere, {"seats": 3})], author)
    port_rules.enrol([Enrolled("021a0b", None, None, port)], author)
    near = database.run(rules.rule_set, [port])
    assert near.rules.keys() == {port, ports}
    everything = database.run(rules.rule_set)
    assert near.rules[port] == everything.rules[port] and len(near.rules[port].roll) == 1
    with pytest.raises(InvalidParts):
        port_rules.set_levels([LevelChange(Level(switch="quay-1", ports="p4-p5"), {"seats": 1})], author)
    (entry,) = near.rules[port].roll
    port_rules.strike_off(entry.number, author)
    struck_off = {**everything.rules, port: replace(everything.rules[port], roll=())}
    assert database.run(rules.rule_set).rules == struck_off
    with pytest.raises(NotFound, match="entry of a roll"):
        port_rules.strike_off(entry.number, author)
