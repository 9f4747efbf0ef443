"""Rules of ports: which level counts, and what breaks them."""

from datetime import timedelta

import pytest

from kiteroll.core.findings.finding import Detection, FindingKind
from kiteroll.core.findings.port_rule_watch import port_rule_breaches
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import key_of
from kiteroll.core.policy.port_rules import Enrolled, PortRule, Rule, RuleBook, inherit
from kiteroll.wording.findings import title
from tests.support.factories import AGEING, at, mac

LAMPS, ONE = Enrolled("021a05", 30), Enrolled(mac(7).digits)
SWITCH = "quay-1"


@pytest.mark.parametrize(
    ("levels", "expected"),
    [
        ((), PortRule()),
        ((Rule(seats=2), Rule(), Rule(seats=5)), PortRule(seats=5)),
        ((Rule(watched=True), Rule(watched=False)), PortRule(watched=False)),
        ((Rule(watched=True, roll=(LAMPS,)), Rule(roll=(ONE, LAMPS))), PortRule(None, True, (LAMPS, ONE))),
    ],
    ids=["nothing set", "the nearest level counts", "also against watching", "rolls add up"],
)
def test_levels_are_inherited(levels: tuple[Rule, ...], expected: PortRule) -> None:
    assert inherit(levels) == expected


def test_of_several_groups_the_strictest_counts_and_nearer_levels_win() -> None:
    book = RuleBook(
        groups={"access": Rule(seats=4), "quays": Rule(seats=2, watched=True), "core": Rule(seats=1)},
        switches={SWITCH: Rule(roll=(LAMPS,))},
        ports={(SWITCH, "p9"): Rule(seats=9, watched=False)},
        in_groups={SWITCH: ("access", "quays"), "hut": ()},
    )
    assert book.rule((SWITCH, "p1")) == PortRule(2, True, (LAMPS,))
    assert book.rule((SWITCH, "p9")) == PortRule(9, False, (LAMPS,))
    assert not book.rule(("hut", "p1")).sets_something
    assert book.concerns(SWITCH) and not book.concerns("hut")


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
) -> list[Detection]:
    """`there`: (address, VLAN) to port number."""
    learned = {key_of(mac(number), vlan): port for (number, vlan), port in there.items()}
    table = MacTable(learned, {port: f"p{port}" for port in there.values()})
    owned = {mac(number) for number in switches}
    found = port_rule_breaches(SWITCH, table, book, lambda port: port in uplinks, owned, at(1), DELAY, AGEING)
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
    book = RuleBook(switches={SWITCH: Rule(seats=2)})
    (one,) = port_rule_breaches(SWITCH, table, book, lambda _: False, set(), at(5), DELAY, AGEING)
    assert one.lasting == lasting


def test_a_port_with_more_addresses_than_seats_is_overfull() -> None:
    book = RuleBook(switches={SWITCH: Rule(seats=2)})
    (detection,) = _broken(book, {(1, 10): 1, (2, 10): 1, (3, 10): 1, (4, 10): 2, (5, 10): 2})
    assert (detection.kind, detection.subject.port) == (FindingKind.OVERFULL, "p1")
    assert (detection.details.count, detection.details.limit, detection.details.macs) == (
        3,
        2,
        (mac(1), mac(2), mac(3)),
    )
    assert "carries 3 addresses and has 2 seats" in title(detection)


def test_an_address_in_two_vlans_takes_one_seat() -> None:
    book = RuleBook(switches={SWITCH: Rule(seats=1)})
    assert _broken(book, {(1, 10): 1, (1, 40): 1}) == []


def test_a_stranger_is_told_where_ports_are_watched_and_nowhere_else() -> None:
    roll = (Enrolled(mac(1).digits, 10),)
    book = RuleBook(ports={(SWITCH, "p1"): Rule(watched=True, roll=roll)})
    found = _broken(book, {(1, 10): 1, (1, 20): 1, (2, 10): 1, (3, 10): 2})
    assert [(detection.kind, detection.subject.mac, detection.subject.port) for detection in found] == [
        (FindingKind.STRANGER, mac(2), "p1"),
        (FindingKind.STRANGER, mac(1), "p1"),
    ]
    assert found[1].details.vlan == 20 and "in VLAN 20" in title(found[1])


def test_uplinks_and_switches_are_exempt() -> None:
    book = RuleBook(switches={SWITCH: Rule(seats=1, watched=True)})
    there = {(number, 10): 24 for number in range(9)}
    assert _broken(book, there, uplinks=((SWITCH, "p24"),)) == []
    assert _broken(book, {(99, 10): 1}, switches=(99,)) == []
    assert len(_broken(book, there)) == 1 + 9


def test_a_crowd_of_strangers_is_no_crowd_of_findings() -> None:
    book = RuleBook(switches={SWITCH: Rule(seats=2, watched=True)})
    found = _broken(book, {(number, 10): 1 for number in range(200)})
    assert [detection.kind for detection in found].count(FindingKind.STRANGER) == 20 and found[
        0
    ].kind is FindingKind.OVERFULL
