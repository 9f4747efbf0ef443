"""Rehearsals: what they find in the past is what the live engine finds on the same readings."""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.reading import Reading, mac_of, vlan_of
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.port_rules import NO_LIMIT, OnBreach, Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.rehearsal.port_breaches import Present, spans_by_mac
from kiteroll.core.rehearsal.rehearsal import Rehearsal, RehearsalResult, SwitchPast
from kiteroll.core.rehearsal.seat_needs import seat_need
from kiteroll.core.rehearsal.spans import joined, micros, most_at_once, without
from kiteroll.core.replay.replay import Replay
from tests.support.factories import AGEING, NOON, at, mac, reading, rule_book

SWITCH = "quay-1"
THRESHOLDS = Thresholds(port_rule_delay=timedelta(seconds=10))
EVERY_MIN = 3
OF_RULES = {
    FindingKind.OVERFULL,
    FindingKind.STRANGER,
    FindingKind.OUT_OF_PLACE,
    FindingKind.OTHER_VLAN,
    FindingKind.BARRED,
}
Tables = Sequence[Mapping[tuple[int, int], str]]


def _past(readings: Sequence[Reading], until: datetime, **more: object) -> SwitchPast:
    """Intervals in which each address was in the readings of a switch."""
    present: dict[str, list[Present]] = defaultdict(list)
    since: dict[tuple[int, str], datetime] = {}
    for one in readings:
        names = one.port_names()
        here = {(key, names[number]) for key, number in one.learned.items()}
        for key, port in since.keys() - here:
            _end(present, key, port, since.pop((key, port)), one.taken_at)
        for each in here - since.keys():
            since[each] = one.taken_at
    for (key, port), began in since.items():
        _end(present, key, port, began, until)
    values = {"uplinks": {}, "known_since": readings[0].taken_at, "ageing": AGEING} | more
    return SwitchPast(switch=SWITCH, present=present, **values)  # type: ignore[arg-type]


def _end(present: dict[str, list[Present]], key: int, port: str, began: datetime, ended: datetime) -> None:
    present[port].append((mac_of(key), vlan_of(key), micros(began), micros(ended)))


def _rehearsed(rules: RuleBook, past: SwitchPast, until: datetime) -> RehearsalResult:
    rehearsal = Rehearsal(
        rules,
        NotCounted(),
        NOON,
        until,
        delay=THRESHOLDS.port_rule_delay,
        again_after=THRESHOLDS.condition_clear_after,
    )
    rehearsal.add(past)
    return rehearsal.result()


def _readings(tables: Tables) -> list[Reading]:
    return [reading(EVERY_MIN * number, learned, switch=SWITCH) for number, learned in enumerate(tables)]


_ENTRY = some.builds(
    Enrolled,
    some.sampled_from([mac(number).digits for number in range(4)] + [mac(0).digits[:6], mac(0).digits[:11]]),
    some.sampled_from([None, 10, 20]),
    some.sampled_from([None, None, at(EVERY_MIN * 3 + 1.5)]),
)
_RULE = some.builds(
    Rule,
    seats=some.sampled_from([None, 0, 1, 2, NO_LIMIT]),
    watched=some.sampled_from([None, True, False]),
    roll=some.lists(_ENTRY, max_size=2).map(tuple),
    vlans=some.sampled_from([None, None, frozenset({10}), frozenset({10, 20})]),
    on_breach=some.sampled_from([None, None, OnBreach.RECORD, OnBreach.SERIOUS]),
)
_TABLE = some.dictionaries(
    some.tuples(some.integers(0, 4), some.sampled_from([10, 20])), some.sampled_from(["p1", "p2"]), max_size=5
)


def _book(everything: Rule, switch: Rule, port: Rule, barred: bool) -> RuleBook:
    def at_level(rule: Rule, level: Level) -> Rule:
        roll = (Enrolled(one.prefix, one.vlan, one.expires_at, level) for one in rule.roll)
        return Rule(rule.seats, rule.watched, tuple(roll), rule.vlans, rule.on_breach)

    return rule_book(
        everything=everything,
        switches={SWITCH: at_level(switch, Level(switch=SWITCH))},
        ports={(SWITCH, "p1"): at_level(port, Level(switch=SWITCH, port="p1"))},
        barred=[Barred(mac(3).digits)] if barred else [],
    )


@settings(max_examples=100, deadline=None)
@given(some.lists(_TABLE, min_size=2, max_size=9), some.builds(_book, _RULE, _RULE, _RULE, some.booleans()))
def test_a_rehearsal_finds_what_the_live_engine_finds_on_the_same_readings(
    tables: Tables, rules: RuleBook
) -> None:
    readings = _readings(tables)
    until = readings[-1].taken_at + timedelta(minutes=EVERY_MIN)
    replay = Replay(THRESHOLDS, rules=rules)
    for one in readings:
        replay.apply(one)
    replay.advance(until)
    live = Counter(
        {
            (one.kind, one.subject.mac, one.subject.port): one.times_opened
            for one in replay.findings.values()
            if one.kind in OF_RULES
        }
    )
    found = _rehearsed(rules, _past(readings, until), until)
    rehearsed = Counter(
        (
            one.kind,
            one.mac,
            "" if one.kind in (FindingKind.OUT_OF_PLACE, FindingKind.BARRED) else one.ports[0][1],
        )
        for one in found.breaches
    )
    assert rehearsed == live


WATCHED = rule_book(switches={SWITCH: Rule(watched=True, seats=1)})


def test_an_uplink_is_exempt_while_it_is_one_and_before_that_was_known() -> None:
    crowd = {(number, 10): "p9" for number in range(5)}
    readings = _readings([crowd] * 9)
    until = readings[-1].taken_at
    early = _past(readings, until, uplinks={"p9": [(at(1), None)]})
    assert _rehearsed(WATCHED, early, until).reported == 0
    later = _past(readings, until, uplinks={"p9": [(at(15), None)]})
    result = _rehearsed(WATCHED, later, until)
    assert {one.ended_at for one in result.breaches} == {at(15)} and result.by_kind[FindingKind.STRANGER] == 5
    named = rule_book(switches={SWITCH: Rule(seats=1, uplinks=True)})
    assert _rehearsed(named, early, until).reported == 1


def test_the_result_reports_who_it_would_have_hurt_and_which_rules_never_mattered() -> None:
    tables = [{(1, 10): "p1", (2, 10): "p1"}, {(1, 10): "p1", (3, 10): "p2"}, {(1, 10): "p1"}, {}]
    rules = rule_book(
        switches={SWITCH: Rule(seats=1)},
        ports={(SWITCH, "p1"): Rule(watched=True, roll=(Enrolled(mac(1).digits),))},
    )
    readings = _readings(tables)
    until = readings[-1].taken_at
    result = _rehearsed(rules, _past(readings, until), until)
    assert [(one.port, one.breaches) for one in result.ports] == [((SWITCH, "p1"), 2)]
    assert (result.not_reported, result.devices) == (0, ((mac(2), 1),))
    assert result.without_effect == ((SWITCH, "p2"),)
    assert dict(result.by_day) == {NOON.date(): 2} and result.stays == 3


@pytest.mark.parametrize(
    ("spans", "typical", "high", "peak"),
    [
        ([(1, 0, 100)], 1, 1, 1),
        ([(1, 0, 100), (2, 0, 60)], 2, 2, 2),
        ([(1, 0, 100), (2, 0, 3)], 1, 1, 2),
        ([(1, 0, 100), (1, 50, 100), (2, 90, 100)], 1, 2, 2),
    ],
    ids=["alone", "two most of the time", "two for a moment", "in two VLANs at once"],
)
def test_seats_are_suggested_by_how_many_were_there_for_how_long(
    spans: list[tuple[int, int, int]], typical: int, high: int, peak: int
) -> None:
    present: list[Present] = [
        (mac(number), 10, micros(at(began)), micros(at(ended))) for number, began, ended in spans
    ]
    _, times = most_at_once([span for each in spans_by_mac(present).values() for span in joined(each)])
    need = seat_need((SWITCH, "p1"), times)
    assert (need.typical, need.high, need.peak) == (typical, high, peak)


_SPAN = some.tuples(some.integers(0, 30), some.integers(1, 9)).map(lambda one: (one[0], sum(one)))


@given(_SPAN, some.lists(_SPAN, max_size=5))
def test_what_is_cut_out_of_a_span_is_gone_and_the_rest_is_there(
    span: tuple[int, int], cut: list[tuple[int, int]]
) -> None:
    left = without(span, joined(cut))
    for at_time in range(40):
        inside = any(began <= at_time < ended for began, ended in left)
        cut_there = any(began <= at_time < ended for began, ended in cut)
        assert inside == (span[0] <= at_time < span[1] and not cut_there)


@given(some.lists(_SPAN, max_size=8))
def test_how_many_hold_at_once_is_counted_at_every_time(spans: list[tuple[int, int]]) -> None:
    most, times = most_at_once(spans)
    held = [sum(began <= at_time < ended for began, ended in spans) for at_time in range(40)]
    assert most == max(held, default=0)
    assert times == {count: held.count(count) for count in set(held) if count}
