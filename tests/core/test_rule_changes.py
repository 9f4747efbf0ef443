"""Changes of rules: levels and ranges, what differs, what contradicts, and lists as CSV."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as some

from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.policy.csv_lists import enrolments, expected_devices
from kiteroll.core.policy.levels import EVERYTHING, Level, parse_ports, ports_text
from kiteroll.core.policy.port_rules import NO_LIMIT, STAYS_CLOSED, VALUES, OnBreach, Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.rule_changes import (
    LevelChange,
    RuleSet,
    cautions,
    changed,
    contradictions,
    differences,
    enrolled_and_barred,
    with_entries,
    without_entries,
)
from kiteroll.schemas.rules_file import parse_rules, rules_text
from tests.support.factories import at, mac

SWITCH = "quay-1"
PORTS = {SWITCH: {f"p{number}" for number in range(1, 25)}, "hut": set()}


@pytest.mark.parametrize(
    ("text", "kept", "inside", "outside"),
    [
        ("p1-p20, p24", "p1-p20,p24", ("p1", "p20", "p24"), ("p21", "q1", "p")),
        ("p1-9", "p1-p9", ("p9",), ("p10",)),
        ("ge-0/0/1-ge-0/0/4", "ge-0/0/1-ge-0/0/4", ("ge-0/0/3",), ("ge-0/1/3", "ge-0/0/5")),
        ("uplink", "uplink", ("uplink",), ("uplink1",)),
    ],
)
def test_a_range_of_ports_is_read_and_kept_in_one_way(
    text: str, kept: str, inside: tuple[str, ...], outside: tuple[str, ...]
) -> None:
    parts = parse_ports(text)
    assert ports_text(parts) == kept and parse_ports(kept) == parts
    assert all(any(one.holds(name) for one in parts) for name in inside)
    assert not any(one.holds(name) for one in parts for name in outside)


@pytest.mark.parametrize(
    ("text", "reported"), [("p9-p1", "ends before"), ("", "between commas"), ("a,,b", "commas")]
)
def test_a_range_that_is_none_is_refused(text: str, reported: str) -> None:
    with pytest.raises(Invalid, match=reported):
        parse_ports(text)


_LEVELS = some.one_of(
    some.just(EVERYTHING),
    some.sampled_from(["access", "quays", "a b", "ü"]).map(lambda name: Level(group=name)),
    some.sampled_from([SWITCH, "hut"]).map(lambda name: Level(switch=name)),
    some.sampled_from(["p1-p9", "p3-p4,p7", "x"]).map(lambda ports: Level(switch=SWITCH, ports=ports)),
    some.sampled_from(["p1", "Eth 1/1", 'quo"te', "p.9"]).map(lambda port: Level(switch=SWITCH, port=port)),
)
_TEXT = some.text("abc äß\"'\\#=[]", max_size=8).map(str.strip)
_WHEN = some.sampled_from([None, at(5), datetime(2027, 3, 31, tzinfo=UTC)])
_ENTRIES = some.lists(
    some.tuples(some.sampled_from(["021a05", mac(7).digits]), some.sampled_from([None, 10]), _TEXT, _WHEN),
    max_size=3,
    unique_by=lambda one: one[:2],
)
_RULES = some.builds(
    Rule,
    seats=some.sampled_from([None, 0, 7, NO_LIMIT]),
    watched=some.sampled_from([None, True, False]),
    vlans=some.sampled_from([None, frozenset(), frozenset({1}), frozenset({10, 11, 12, 4094})]),
    on_breach=some.sampled_from([None, *OnBreach]),
    reopen_after=some.sampled_from([None, STAYS_CLOSED, timedelta(minutes=15)]),
    uplinks=some.sampled_from([None, True, False]),
    note=_TEXT,
)


@some.composite
def _rule_sets(draw: some.DrawFn) -> RuleSet:
    drawn = draw(some.dictionaries(_LEVELS, _RULES, max_size=6))
    rules = {level: rule for level, rule in drawn.items() if rule.sets_something}
    found = RuleSet(rules)
    for level in list(rules):
        entries = draw(_ENTRIES)
        found = with_entries(found, [Enrolled(p, vlan, when, level, note) for p, vlan, note, when in entries])
    barred = draw(some.dictionaries(some.sampled_from(["021a99", "021a98"]), some.tuples(_TEXT, _WHEN)))
    return RuleSet(found.rules, tuple(Barred(prefix, *more) for prefix, more in barred.items()))


@given(_rule_sets())
def test_out_to_a_file_and_in_again_is_the_same(rules: RuleSet) -> None:
    text = rules_text(rules)
    assert differences(rules, parse_rules(text)) == [] == differences(parse_rules(text), rules)
    assert rules_text(parse_rules(text)) == text == rules_text(rules, text)


@given(_rule_sets(), _rule_sets())
def test_a_file_that_was_there_becomes_the_new_one_whatever_it_held(older: RuleSet, newer: RuleSet) -> None:
    assert differences(parse_rules(rules_text(newer, rules_text(older))), newer) == []


def test_comments_of_a_file_are_kept_where_it_says_the_same() -> None:
    older = "# ours\nformat = 1\n\n[group.access]\nseats = 2 # phone and computer\nwatched = false\n"
    rules = changed(parse_rules(older), [LevelChange(Level(group="access"), {"watched": True})])
    text = rules_text(rules, older)
    assert text == older.replace("watched = false", "watched = true")


@given(_rule_sets(), some.sampled_from(["p1", "p4", "p9", "x"]))
def test_every_value_of_a_port_is_that_of_the_nearest_level_that_sets_it(rules: RuleSet, port: str) -> None:
    book = RuleBook(rules=rules.rules, in_groups={SWITCH: ("access",)})
    rule = book.rule((SWITCH, port))
    levels = book.levels((SWITCH, port))
    for name in VALUES:
        setting = [level for level in levels if getattr(rules.rules[level], name) is not None]
        assert (name in rule.sources) == bool(setting)
        if setting:
            nearest = max(level.reach for level in setting)
            assert rule.sources[name].reach == nearest
            strictest = [one for one in setting if one.reach == nearest]
            values = [getattr(rules.rules[level], name) for level in strictest]
            assert getattr(rule, name) in values or name == "vlans"
    assert {(one.prefix, one.level) for one in rule.roll} == {
        (one.prefix, level) for level in levels for one in rules.rules[level].roll
    }


@given(_rule_sets(), _rule_sets())
def test_what_differs_makes_one_set_the_other(before: RuleSet, after: RuleSet) -> None:
    found = differences(before, after)
    by_level: dict[Level, dict[str, object]] = {}
    for one in found:
        if one.what in (*VALUES, "note"):
            by_level.setdefault(one.level, {})[one.what] = one.after
    made = changed(before, [LevelChange(level, values) for level, values in by_level.items()])
    made = without_entries(made, [one.before for one in found if one.what == "struck off"])
    made = with_entries(made, [one.after for one in found if one.what == "enrolled"])
    assert differences(RuleSet(made.rules, after.barred), after) == []


@pytest.mark.parametrize(
    ("rules", "reported"),
    [
        ({Level(switch="nowhere"): Rule(seats=1)}, "no switch 'nowhere'"),
        ({Level(group="nobody"): Rule(seats=1)}, "no switch is in this group"),
        ({Level(switch=SWITCH, port="p99"): Rule(seats=1)}, "no port 'p99'; it has p1 to p24"),
        ({Level(switch=SWITCH, ports="p30-p40"): Rule(seats=1)}, "matches none of its ports"),
        (
            {
                Level(switch=SWITCH, ports="p1-p9"): Rule(seats=1),
                Level(switch=SWITCH, ports="p9-p12"): Rule(seats=2),
            },
            "share p9 with it and set seats differently",
        ),
        ({EVERYTHING: Rule(seats=0, roll=(Enrolled(mac(1).digits),))}, "no seats, and 1 enrolled"),
        ({EVERYTHING: Rule(vlans=frozenset({10}), roll=(Enrolled("021a05", 20),))}, "nobody is expected"),
    ],
)
def test_what_contradicts_is_reported_with_its_level(rules: dict[Level, Rule], reported: str) -> None:
    ((_, what),) = contradictions(RuleSet(rules), PORTS, {"access"})
    assert reported in what


def test_what_does_not_contradict_is_let_be() -> None:
    rules = {
        Level(switch="hut", port="p1"): Rule(seats=1),
        Level(switch=SWITCH, ports="p1-p9"): Rule(seats=1),
        Level(switch=SWITCH, ports="p9-p12"): Rule(seats=1, watched=True),
    }
    assert contradictions(RuleSet(rules), PORTS, {"access"}) == []
    both = RuleSet({EVERYTHING: Rule(roll=(Enrolled("021a05"),))}, (Barred("021a05"),))
    assert enrolled_and_barred(both) == [("everything", "02:1a:05 is enrolled, and barred")]
    assert len(cautions(RuleSet({EVERYTHING: Rule(seats=51, watched=True, on_breach=OnBreach.CLOSE)}))) == 3


def test_a_list_is_read_whole_or_every_wrong_line_is_reported() -> None:
    text = (
        "# crew\naddress;switch;port;vlan;note;expires\n"
        "02-1a-05;quay-1;p1;30;a lamp;2027-03-31\n\n02:1a:0a:05:17:61;;;;;\n"
    )
    lamp, other = enrolments(text, Level(group="access"))
    assert (lamp.level, lamp.vlan, lamp.note) == (Level(switch="quay-1", port="p1"), 30, "a lamp")
    assert lamp.expires_at == datetime(2027, 3, 31, tzinfo=UTC) and other.level == Level(group="access")
    wrong = (
        "address,group,switch,vlan,expires\nxyz,,,,\n02:1a:05,a,b,,\n02:1a:05,a,,9999,\n"
        "02:1a:06,a,,,soon\n02:1a:07,,,,\n02:1a:08,a,,,\n02:1a:08,a,,,\n"
    )
    with pytest.raises(InvalidParts) as reported:
        enrolments(wrong, None)
    assert [where for where, _ in reported.value.problems] == [f"line {line}" for line in (2, 3, 4, 5, 6, 8)]


@pytest.mark.parametrize(
    ("text", "reported"),
    [
        ("mac,port\n", "line 1: the heading names columns among"),
        ("device,switch\na,b,c\n", "line 2: 3 cells, the heading has 2"),
        ("device,port\n,p1\n", "line 2: no device"),
        ("device,switch,port\nkiosk-1,,p1\n", "line 2: a port needs its switch"),
    ],
)
def test_a_list_of_devices_that_cannot_be_read_says_where(text: str, reported: str) -> None:
    with pytest.raises(InvalidParts, match=reported):
        expected_devices(text)
