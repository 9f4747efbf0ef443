"""Enrolment windows, replacements, and the roll call beside a list."""

from datetime import timedelta

import pytest

from kiteroll.core.errors import Invalid
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import key_of
from kiteroll.core.policy.enrolment import Presence, Window, candidates, covered, replacements
from kiteroll.core.policy.evaluation import Judge
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.roll_call import Attendance, Expected, attend, counts_of, total
from tests.support.factories import at, mac, rule_book

SWITCH = "quay-1"
P1, P2, UPLINK = (SWITCH, "p1"), (SWITCH, "p2"), (SWITCH, "p24")
HOUR = timedelta(hours=1)


def _there(number: int, port: tuple[str, str], began: float, ended: float | None, vlan: int = 10) -> Presence:
    until = None if ended is None else at(ended)
    return Presence(mac=mac(number), port=port, vlan=vlan, began_at=at(began), ended_at=until)


def test_who_was_present_for_long_enough_and_is_not_enrolled_is_a_candidate() -> None:
    rules = rule_book(ports={P1: Rule(roll=(Enrolled(mac(2).digits),))}, barred=[Barred(mac(3).digits)])
    window = Window(Level(switch=SWITCH), at(0), at(600), HOUR)
    present = [
        _there(1, P1, -60, 30),
        _there(1, P1, 100, 140),
        _there(1, P1, 120, 150, vlan=20),
        _there(2, P1, 0, None),
        _there(3, P1, 0, None),
        _there(4, P1, 0, 59),
        _there(5, UPLINK, 0, None),
        _there(6, P2, 90, None),
        _there(90, P2, 0, None),
    ]
    found = candidates(window, present, rules, lambda port: port == UPLINK, NotCounted({mac(90)}), at(200))
    assert [(one.mac, one.port, one.present, one.here_now) for one in found] == [
        (mac(1), P1, timedelta(minutes=80), False),
        (mac(6), P2, timedelta(minutes=110), True),
    ]
    assert (found[0].vlans, found[0].since, found[0].seen_at, found[0].share) == (
        (10, 20),
        at(0),
        at(150),
        0.4,
    )
    assert candidates(window, present, rules, lambda _: False, NotCounted(), at(-1)) == []


def test_an_address_in_two_vlans_is_there_once() -> None:
    spans = [(at(0), at(10)), (at(5), at(20)), (at(30), at(40)), (at(32), at(35))]
    assert covered(spans) == timedelta(minutes=30)


@pytest.mark.parametrize(
    ("begin", "end", "min_present"), [(5, 5, 0), (5, 1, 0), (0, 60 * 24 * 91, 0), (0, 10, 11)]
)
def test_a_window_that_cannot_be_is_refused(begin: float, end: float, min_present: float) -> None:
    with pytest.raises(Invalid, match="window"):
        Window(EVERYTHING, at(begin), at(end), timedelta(minutes=min_present))


def test_windows_overlap_where_they_share_a_port_and_a_time() -> None:
    groups = {SWITCH: ("access",), "hut": ()}
    one = Window(Level(group="access"), at(0), at(10))
    for level, begin, overlaps in (
        (Level(switch=SWITCH, port="p2"), 5, True),
        (EVERYTHING, 9, True),
        (EVERYTHING, 10, False),
        (Level(switch="hut"), 5, False),
    ):
        other = Window(level, at(begin), at(begin + 10))
        assert one.overlaps(other, [P1, P2, ("hut", "p1")], groups) is overlaps
        assert other.overlaps(one, [P1, P2, ("hut", "p1")], groups) is overlaps


def _judge(*entries: MacAddress) -> Judge:
    roll = tuple(Enrolled(one.digits, level=Level(switch=SWITCH, port="p1"), number=1) for one in entries)
    return Judge(rule_book(ports={P1: Rule(watched=True, roll=roll)}), lambda _: False, NotCounted(), at(0))


def test_one_of_the_same_kind_may_stand_in_for_one_that_is_gone() -> None:
    other_maker, random_one, random_two = (
        MacAddress(number) for number in (0x021A99000001, 0xDA3F00000001, 0x7E1100000002)
    )
    for absent, came, random, offered in (
        ((mac(1),), mac(2), (), True),
        ((mac(1),), other_maker, (), False),
        ((mac(1), mac(3)), mac(2), (), False),
        ((random_one,), random_two, (random_one, random_two), True),
        ((mac(1),), random_two, (random_two,), False),
    ):
        judge = _judge(*absent)
        occupancy = judge.occupancy(P1, [key_of(came, 10)])
        found = replacements(occupancy, random, at(0))
        assert [(one.entry.mac, one.mac) for one in found] == ([(absent[0], came)] if offered else [])


def test_the_sums_of_a_roll_call_count_an_address_once_a_port() -> None:
    judge = _judge(mac(1), mac(2))
    one = counts_of(
        judge.counts(P1, [key_of(mac(1), 10), key_of(mac(1), 20), key_of(mac(3), 10)]), at(0), current=True
    )
    assert (one.present, one.enrolled, one.strangers, one.absent, one.broken) == (2, 1, 1, 1, 1)
    other = counts_of(judge.counts(P2, [key_of(mac(4), 10)]), at(0), current=False)
    both = total([one, other])
    assert both == one + other
    assert (both.ports, both.present, both.broken, both.not_read) == (2, 3, 1, 1)


def test_a_list_and_the_network_are_compared_both_ways() -> None:
    homes = {mac(1): [P1], mac(2): [P1, P2], mac(5): [P2], mac(6): [("hut", "p1")]}
    listed = [
        Expected(line=2, device="a", macs=(mac(1),), switch=SWITCH, port="p1"),
        Expected(line=3, device="b", macs=(mac(2),), switch="hut"),
        Expected(line=4, device="c", macs=(mac(3),)),
        Expected(line=5, device="d", macs=(mac(4),)),
        Expected(line=6, device="e", macs=()),
        Expected(line=7, device="f", macs=(mac(9), mac(1))),
    ]
    found = attend(listed, homes, {mac(3)}, [P1, P2])
    assert [(one.device, one.attendance) for one in found] == [
        ("a", Attendance.IN_PLACE),
        ("b", Attendance.ELSEWHERE),
        ("c", Attendance.ABSENT),
        ("d", Attendance.UNKNOWN),
        ("e", Attendance.UNKNOWN),
        ("f", Attendance.IN_PLACE),
        ("", Attendance.NOT_LISTED),
    ]
    assert (found[-1].mac, found[-1].found) == (mac(5), (P2,))
    assert not any(one.not_read for one in found)


def test_what_a_list_finds_says_where_it_rests_on_a_switch_that_is_not_read() -> None:
    homes = {mac(1): [P1], mac(2): [("hut", "p1")]}
    listed = [
        Expected(line=2, device="a", macs=(mac(1),), switch="hut"),
        Expected(line=3, device="b", macs=(mac(2),), switch=SWITCH),
        Expected(line=4, device="c", macs=(mac(3),), switch="hut"),
        Expected(line=5, device="d", macs=(mac(3),), switch=SWITCH),
        Expected(line=6, device="e", macs=(mac(3),)),
    ]
    found = attend(listed, homes, {mac(3)}, None, {"hut"})
    assert [one.device for one in found if one.not_read] == ["b", "c", "e"]
