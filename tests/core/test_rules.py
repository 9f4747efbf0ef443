"""Rules of ports: which level counts, and what breaks them."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as some

from kiteroll.core.findings.finding import Detection, FindingKind
from kiteroll.core.findings.port_rule_watch import port_rule_breaches
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import key_of
from kiteroll.core.policy.evaluation import Judge
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.port_rules import NO_LIMIT, OnBreach, PortRule, Rule
from kiteroll.core.policy.roll import Barred, Enrolled, Roll
from kiteroll.core.policy.rule_book import RuleBook, inherit
from kiteroll.wording.finding_titles import title
from tests.support.factories import AGEING, at, mac, rule_book

LAMPS, ONE = Enrolled("021a05", 30), Enrolled(mac(7).digits)
SWITCH = "quay-1"


@pytest.mark.parametrize(
    ("levels", "expected"),
    [
        ((), PortRule()),
        ((Rule(seats=2), Rule(), Rule(seats=5)), PortRule(seats=5)),
        ((Rule(seats=2), Rule(seats=NO_LIMIT)), PortRule(seats=NO_LIMIT)),
        ((Rule(watched=True), Rule(watched=False)), PortRule(watched=False)),
        (
            (Rule(watched=True, roll=(LAMPS,)), Rule(roll=(ONE, LAMPS))),
            PortRule(None, True, Roll((LAMPS, ONE))),
        ),
    ],
    ids=[
        "nothing set",
        "the nearest level counts",
        "no limit is a limit of its own",
        "also against watching",
        "rolls add up",
    ],
)
def test_levels_are_inherited(levels: tuple[Rule, ...], expected: PortRule) -> None:
    assert inherit((EVERYTHING, rule) for rule in levels) == expected


def test_of_several_groups_the_strictest_counts_and_nearer_levels_win() -> None:
    book = rule_book(
        everything=Rule(on_breach=OnBreach.NOTE),
        groups={
            "access": Rule(seats=4, vlans=frozenset({10, 20})),
            "quays": Rule(seats=2, watched=True, vlans=frozenset({20, 30}), on_breach=OnBreach.SERIOUS),
            "core": Rule(seats=1),
        },
        switches={SWITCH: Rule(roll=(LAMPS,))},
        ranges={(SWITCH, "p5-p9"): Rule(seats=5)},
        ports={(SWITCH, "p9"): Rule(seats=9, watched=False)},
        in_groups={SWITCH: ("access", "quays"), "hut": ()},
    )
    first, fifth, ninth = (book.rule((SWITCH, name)) for name in ("p1", "p5", "p9"))
    assert (first.seats, first.watched, first.roll, first.vlans) == (2, True, Roll((LAMPS,)), frozenset({20}))
    assert (fifth.seats, ninth.seats, ninth.watched, ninth.on_breach) == (5, 9, False, OnBreach.SERIOUS)
    assert {name: str(level) for name, level in ninth.sources.items()} == {
        "seats": "quay-1 port p9",
        "watched": "quay-1 port p9",
        "vlans": "group access",
        "on_breach": "group quays",
    }
    assert str(fifth.sources["seats"]) == "quay-1 ports p5-p9"
    assert not book.rule(("hut", "p1")).sets_something
    assert book.rule(("hut", "p1")).on_breach is OnBreach.NOTE


@pytest.mark.parametrize(
    ("address", "vlan", "there"),
    [("02:1a:05:00:00:01", 30, True), ("02:1a:05:00:00:01", 10, False), ("02:1a:06:00:00:01", 30, False)],
)
def test_a_prefix_covers_its_addresses_in_its_vlan(address: str, vlan: int, there: bool) -> None:
    assert LAMPS.covers(MacAddress.parse(address), vlan) is there


DELAY = Thresholds().port_rule_delay


def _broken(
    book: RuleBook,
    there: dict[tuple[int, int], int],
    *,
    uplinks: tuple[PortRef, ...] = (),
    switches: tuple[int, ...] = (),
    shared: tuple[str, ...] = (),
) -> list[Detection]:
    """`there`: (address, VLAN) to port number."""
    learned = {key_of(mac(number), vlan): port for (number, vlan), port in there.items()}
    table = MacTable(learned, {port: f"p{port}" for port in there.values()})
    owned = {mac(number) for number in switches}
    judge = Judge(book, lambda port: port in uplinks, NotCounted(owned, shared), at(1))
    found = port_rule_breaches(SWITCH, table, judge, DELAY, AGEING)
    return [one.detection for one in found]


@pytest.mark.parametrize(
    ("came_at", "lasting"),
    [((), DELAY), ((4.5,), AGEING), ((4.5, 4.6), AGEING), ((4.5, 4.6, 4.7), DELAY), ((-1, -1), DELAY)],
    ids=["nobody came", "one may have taken another's place", "two may", "three cannot", "that was before"],
)
def test_a_crowd_in_which_somebody_may_have_left_must_last_until_that_one_has_aged(
    came_at: tuple[float, ...], lasting: timedelta
) -> None:
    learned = {key_of(mac(number), 10): 1 for number in range(3)}
    recent = {key: at(minute) for key, minute in zip(learned, came_at, strict=False)}
    table = MacTable(learned, {1: "p1"}, recent, at(5))
    book = rule_book(switches={SWITCH: Rule(seats=2)})
    judge = Judge(book, lambda _: False, NotCounted(), at(5))
    (one,) = port_rule_breaches(SWITCH, table, judge, DELAY, AGEING)
    assert one.lasting == lasting


def test_a_port_with_more_addresses_than_seats_is_overfull() -> None:
    book = rule_book(switches={SWITCH: Rule(seats=2)})
    (detection,) = _broken(book, {(1, 10): 1, (2, 10): 1, (3, 10): 1, (4, 10): 2, (5, 10): 2})
    assert (detection.kind, detection.subject.port) == (FindingKind.OVERFULL, "p1")
    assert (detection.details.count, detection.details.limit, detection.details.macs) == (
        3,
        2,
        (mac(1), mac(2), mac(3)),
    )
    assert "carries 3 addresses and has 2 seats" in title(detection)


def test_an_address_in_two_vlans_takes_one_seat() -> None:
    book = rule_book(switches={SWITCH: Rule(seats=1)})
    assert _broken(book, {(1, 10): 1, (1, 40): 1}) == []


def test_a_stranger_is_reported_where_ports_are_watched_and_nowhere_else() -> None:
    roll = (Enrolled(mac(1).digits, 10, level=Level(switch=SWITCH, port="p1")),)
    book = rule_book(ports={(SWITCH, "p1"): Rule(watched=True, roll=roll)})
    found = _broken(book, {(1, 10): 1, (1, 20): 1, (2, 20): 1, (3, 10): 2})
    assert [(detection.kind, detection.subject.mac, detection.subject.port) for detection in found] == [
        (FindingKind.STRANGER, mac(2), "p1"),
        (FindingKind.OUT_OF_PLACE, mac(1), ""),
    ]
    assert found[0].details.vlan == 20 and "in VLAN 20" in title(found[0])
    assert title(found[1]).endswith("in VLAN 20 and is enrolled at quay-1 port p1 in VLAN 10")


def test_uplinks_switches_and_shared_addresses_are_exempt() -> None:
    book = rule_book(switches={SWITCH: Rule(seats=1, watched=True)})
    there = {(number, 10): 24 for number in range(9)}
    assert _broken(book, there, uplinks=((SWITCH, "p24"),)) == []
    assert _broken(book, {(99, 10): 1}, switches=(99,)) == []
    assert _broken(book, {(5, 10): 1}, shared=(mac(5).digits,)) == []
    assert len(_broken(book, there)) == 1 + 9
    named = rule_book(switches={SWITCH: Rule(seats=1, uplinks=True)})
    assert len(_broken(named, there, uplinks=((SWITCH, "p24"),))) == 1


def test_who_is_enrolled_elsewhere_is_out_of_place_and_reported_once() -> None:
    home = Level(switch=SWITCH, port="p1")
    book = rule_book(
        switches={SWITCH: Rule(watched=True)},
        ports={(SWITCH, "p1"): Rule(roll=(Enrolled(mac(1).digits, level=home),))},
    )
    found = _broken(book, {(1, 10): 2, (1, 20): 3, (2, 10): 2})
    away = [one for one in found if one.kind is FindingKind.OUT_OF_PLACE]
    assert len({one.key for one in away}) == 1 and len(away) == 2
    assert title(away[0]) == f"{mac(1)} is on quay-1 port p2 in VLAN 10 and is enrolled at quay-1 port p1"
    assert [one.subject.mac for one in found if one.kind is FindingKind.STRANGER] == [mac(2)]


def test_an_address_in_a_vlan_that_is_not_expected_is_reported_at_its_port() -> None:
    book = rule_book(ports={(SWITCH, "p1"): Rule(vlans=frozenset({10}))})
    (one,) = _broken(book, {(1, 10): 1, (2, 40): 1, (3, 41): 1})
    assert (one.kind, one.details.count, one.details.vlan) == (FindingKind.OTHER_VLAN, 2, 40)


def test_who_is_barred_is_reported_on_any_port_and_before_all_else() -> None:
    book = rule_book(barred=(Barred(mac(1).digits, "stolen"), Barred("021a02", expires_at=at(0))))
    (one,) = _broken(book, {(1, 10): 1, (2, 10): 1})
    assert (one.kind, one.severity.value) == (FindingKind.BARRED, "serious")
    assert title(one) == f"{mac(1)} is barred (stolen) and is on quay-1 port p1"


def test_a_breach_that_is_only_recorded_is_no_finding_and_an_entry_that_expired_enrols_nobody() -> None:
    entry = Enrolled(mac(1).digits, expires_at=at(0.5))
    book = rule_book(ports={(SWITCH, "p1"): Rule(watched=True, roll=(entry,))})
    (one,) = _broken(book, {(1, 10): 1})
    assert one.kind is FindingKind.STRANGER
    quiet = rule_book(ports={(SWITCH, "p1"): Rule(watched=True, seats=0, on_breach=OnBreach.RECORD)})
    assert _broken(quiet, {(1, 10): 1}) == []


def test_a_crowd_of_strangers_is_no_crowd_of_findings() -> None:
    book = rule_book(switches={SWITCH: Rule(seats=2, watched=True)})
    found = _broken(book, {(number, 10): 1 for number in range(200)})
    assert [detection.kind for detection in found].count(FindingKind.STRANGER) == 20 and found[
        0
    ].kind is FindingKind.OVERFULL


_KEYS = some.sets(some.tuples(some.integers(0, 5), some.sampled_from([10, 20])), max_size=8)
_ENTRIES = some.lists(
    some.builds(
        Enrolled,
        some.sampled_from([*(mac(number).digits for number in range(5)), mac(0).digits[:11]]),
        some.sampled_from([None, 10]),
        some.sampled_from([None, at(0), at(9)]),
    ),
    max_size=4,
)


@given(_KEYS, _ENTRIES, some.booleans(), some.booleans(), some.booleans(), some.sampled_from([None, 0, 2]))
def test_the_numbers_of_a_port_are_those_of_its_occupants(
    keys: set[tuple[int, int]],
    entries: list[Enrolled],
    watched: bool,
    lifted: bool,
    barred: bool,
    seats: int | None,
) -> None:
    rule = Rule(watched=watched, seats=seats, roll=tuple(entries), vlans=frozenset({10}))
    book = rule_book(switches={SWITCH: rule}, barred=[Barred(mac(5).digits)] if barred else [])
    judge = Judge(book, lambda _: lifted, NotCounted({mac(4)}), at(5))
    packed = [key_of(mac(number), vlan) for number, vlan in keys]
    one, counts = judge.occupancy((SWITCH, "p1"), packed), judge.counts((SWITCH, "p1"), packed)
    assert counts.present == len(one.macs)
    assert {status: set(macs) for status, macs in counts.by_status.items()} == {
        status: {each.mac for each in one.of_status(status)}
        for status in {each.status for each in one.occupants}
    }
    assert (counts.overfull, counts.broken) == (one.overfull, one.broken)
    assert counts.breaks_something == one.breaks_something
