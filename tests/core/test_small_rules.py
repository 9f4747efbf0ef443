"""Uptime, schedule, search and home: rules that fit in a line or two each."""

from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.errors import Invalid
from kiteroll.core.model.address_counts import newcomer_counts
from kiteroll.core.model.link_change import unchanged_since
from kiteroll.core.model.mac import Fragment, MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.makers import AddressOrigin, Makers, address_origin, parse_prefix
from kiteroll.core.model.port_use import PortUse, port_use
from kiteroll.core.model.reading import Oper
from kiteroll.core.model.stay import Ending, Life, Place, Stay
from kiteroll.core.model.uptime import WRAP_TICKS
from kiteroll.core.model.whole_number import whole_number
from kiteroll.core.scheduling.debounce import Debounce
from kiteroll.core.scheduling.schedule import BACKOFF_CAP, Schedule, backoff
from kiteroll.core.search.address_index import AddressIndex
from kiteroll.core.search.text_index import TextIndex
from kiteroll.core.topology.contested import Contested
from kiteroll.core.topology.home import Because, Confidence, HomeReason, choose_home
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import Sighting, both_present_beyond_ageing, sighting
from kiteroll.core.tracking.pauses import unread_around
from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth, Warned, switch_warnings
from kiteroll.core.tracking.uptime import drift, restarted
from kiteroll.wording.switches import warning_text
from kiteroll.wording.topology import home_reasons
from tests.support.factories import at, mac

MINUTE = timedelta(minutes=1)


@pytest.mark.parametrize(
    ("before", "after", "minutes", "expected"),
    [
        (1000, 1000 + 6000, 1, False),
        (600_000, 3000, 10, True),
        (WRAP_TICKS - 3000, 3000, 1, False),  # 497 days are over
        (WRAP_TICKS - 3000, 3_000_000, 1, True),  # after a wrap it would stand lower by far
        (WRAP_TICKS // 2, 0, 60, True),
    ],
)
def test_a_smaller_uptime_is_a_restart_unless_the_counter_wrapped(
    before: int, after: int, minutes: float, expected: bool
) -> None:
    assert restarted(before, at(0), after, at(minutes)) is expected


def test_a_switch_keeps_its_interval_and_a_silent_one_is_asked_less_often() -> None:
    schedule = Schedule()
    schedule.put(1, MINUTE, at(0))
    schedule.put(2, MINUTE, at(0))
    assert schedule.claim_due(at(0)) == [1, 2]
    assert schedule.claim_due(at(5)) == [], "running switches are not due"
    assert schedule.settle(1, at(0), answered=True) == at(1)
    assert schedule.settle(2, at(0), answered=False) == at(1)
    assert schedule.claim_due(at(1)) == [], "what came of the readings is still being stored"
    schedule.done(1)
    schedule.done(2)
    assert schedule.claim_due(at(1)) == [1, 2]
    assert schedule.settle(2, at(1), answered=False) == at(3)
    schedule.done(2)
    assert schedule.next_due() == at(3)
    assert not schedule.claim(1) and schedule.claim(2)


def test_once_a_silent_switch_answers_the_others_of_its_site_are_asked_sooner() -> None:
    schedule = Schedule()
    for switch, site in ((1, "Quays"), (2, "Quays"), (3, "Quays"), (4, "Yard")):
        schedule.put(switch, MINUTE, at(0), site)
    for minutes in (0, 1, 3, 7):
        assert schedule.claim_due(at(minutes)) == [1, 2, 3, 4]
        for switch in (1, 2, 3, 4):
            schedule.settle(switch, at(minutes), answered=False)
            schedule.done(switch)
    assert schedule.next_due() == at(15)
    assert schedule.claim(1) and schedule.settle(1, at(7.5), answered=True) == at(8.5)
    schedule.done(1)
    assert schedule.claim_due(at(7.9)) == []
    assert schedule.claim_due(at(8)) == [2, 3], "not more often than is usual"
    assert schedule.settle(3, at(8), answered=False) == at(15 + 8), "it goes on as before"
    schedule.done(3)
    assert schedule.claim_due(at(9)) == [1]
    schedule.settle(1, at(9), answered=True)
    assert schedule.claim_due(at(15)) == [4]


def test_backoff_is_capped_but_never_below_the_interval() -> None:
    assert backoff(MINUTE, 50) == BACKOFF_CAP
    assert backoff(timedelta(hours=1), 50) == timedelta(hours=1)


_FEW_DIGITS = st.text("02a1", min_size=12, max_size=12).map(lambda digits: MacAddress(int(digits, 16)))
_ONE_PREFIX = st.integers(0, 2**16 - 1).map(lambda low: MacAddress(0x02_1A_01_00_00_00 | low))


@given(
    st.one_of(st.sets(_FEW_DIGITS, max_size=200), st.sets(_ONE_PREFIX)),
    st.one_of(st.text("0123456789abcdef", min_size=1, max_size=12), st.text("02a1", min_size=3, max_size=7)),
    st.sampled_from([0, 10**6]),
)
def test_search_finds_exactly_the_addresses_that_hold_the_digits(
    known: set[MacAddress], digits: str, longest_list: int
) -> None:
    half = sorted(known)[::2]
    index = AddressIndex(half)
    index.add(known)
    with pytest.MonkeyPatch.context() as patch:  # lists that are longer are not gone through
        patch.setattr("kiteroll.core.search.ordered_addresses._LONG", longest_list)
        found = index.find(Fragment(digits), limit=10**6)
    assert set(found) == {one for one in known if digits in one.digits}
    assert len(found) == len(set(found))
    ranks = [0 if one.digits.endswith(digits) else 1 if one.digits.startswith(digits) else 2 for one in found]
    assert ranks == sorted(ranks)
    assert index.find(Fragment(digits), limit=3) == found[:3]


def test_addresses_ending_with_the_digits_come_first_even_where_all_hold_them() -> None:
    known = [MacAddress(0x021A01_000000 + number) for number in range(0, 2**17, 7)]
    late = MacAddress(0x0A0000_00021A)
    index = AddressIndex(known)
    index.add([late])
    found = index.find(Fragment("021a"), limit=5)
    assert found == [*(one for one in known if one.digits.endswith("021a")), late, *known[:5]][:5]
    assert late in index and len(index) == len(known) + 1


def _seen(
    stay: int, switch: str, *, leads_to: tuple[str, ...] = (), began: float = 0, quiet: bool = False
) -> Sighting:
    last = at(began) if quiet else None
    return Sighting(
        Stay(
            id=stay,
            mac=mac(1),
            place=Place(switch, "p1", 10),
            began_at=at(began),
            resumed_at=at(began),
            last_seen_at=last,
        ),
        leads_to,
        uplink=bool(leads_to),
    )


def test_home_is_where_no_other_switch_is_behind_the_port() -> None:
    home = choose_home([_seen(1, "core-1", leads_to=("quay-1",)), _seen(2, "quay-1")])
    assert home.at is not None and home.at.stay.place.switch == "quay-1"


def test_of_two_access_ports_the_later_learned_present_one_is_home() -> None:
    assert choose_home([_seen(1, "a", began=0), _seen(2, "b", began=5)]).at.stay.id == 2  # type: ignore[union-attr]
    chosen = choose_home([_seen(1, "a", began=0), _seen(2, "b", began=5, quiet=True)])
    assert chosen.at is not None and chosen.at.stay.id == 1
    assert HomeReason(Because.QUIET_ELSEWHERE, Place("b", "p1", 10)) in chosen.reasons


def test_an_address_seen_only_through_uplinks_has_no_home_and_says_why() -> None:
    seen = [_seen(1, "core-1", leads_to=("quay-1",)), _seen(2, "quay-1", leads_to=("core-1",))]
    home = choose_home(seen)
    assert home.at is None and home.confidence is Confidence.NONE
    assert home.reasons == (HomeReason(Because.ONLY_ON_UPLINKS, names=("core-1", "quay-1")),)


def test_an_address_the_next_switches_have_not_learned_is_beyond_something_that_is_not_read() -> None:
    home = choose_home([_seen(1, "core-1", leads_to=("quay-1",))])
    assert home.at is not None and home.confidence is Confidence.DOUBTFUL
    (reason,) = home.reasons
    assert reason == HomeReason(Because.BEYOND_UPLINK, Place("core-1", "p1", 10), ("quay-1",))


def test_an_address_at_an_uplink_that_leads_to_nothing_known_is_beyond_it() -> None:
    by_hand = replace(_seen(2, "quay-1"), uplink=True)
    home = choose_home([_seen(1, "core-1", leads_to=("quay-1",)), by_hand])
    assert (home.at, home.confidence) == (by_hand, Confidence.DOUBTFUL)
    assert home.reasons == (HomeReason(Because.BEYOND_UPLINK, by_hand.stay.place),)
    assert home_reasons(home) == ["beyond quay-1 port p1, an uplink: what is behind it is not known"]
    another = replace(_seen(3, "quay-2"), uplink=True)
    assert choose_home([by_hand, another]).at is None, "beyond which of them?"


def _in_vlan(vlan: int) -> Stay:
    return replace(_seen(2, "quay-1").stay, place=Place("quay-1", "p1", vlan))


@pytest.mark.parametrize(
    ("minutes", "interval", "confidence", "because"),
    [
        (2, 1, Confidence.SURE, Because.SEEN_NOWHERE_ELSE),
        (4, 1, Confidence.LIKELY, Because.READ_LATE),
        (16, 1, Confidence.DOUBTFUL, Because.READ_LONG_AGO),
        (40, 30, Confidence.SURE, Because.SEEN_NOWHERE_ELSE),
        (16, None, Confidence.SURE, Because.SEEN_NOWHERE_ELSE),
    ],
)
def test_a_home_is_no_surer_than_its_readings_are_new(
    minutes: float, interval: int | None, confidence: Confidence, because: Because
) -> None:
    every = None if interval is None else timedelta(minutes=interval)
    stay = _seen(1, "quay-1", began=-60).stay
    seen = sighting(stay, Topology({}), read_at=at(0), interval=every, ageing=timedelta(minutes=5))
    home = choose_home([seen], at(minutes))
    assert (home.confidence, home.reasons[0].because) == (confidence, because)
    assert all(home_reasons(home))


@pytest.mark.parametrize(
    ("learned", "interval", "confidence"),
    [
        pytest.param(-4, 1, Confidence.LIKELY, id="read four times, and maybe heard once"),
        pytest.param(-6, 1, Confidence.SURE, id="heard again since: an entry stays for five minutes"),
        pytest.param(-6, 5, Confidence.LIKELY, id="read once since"),
        pytest.param(-8, 5, Confidence.SURE, id="read twice since"),
    ],
)
def test_a_home_is_sure_once_it_was_heard_and_read_again(
    learned: float, interval: int, confidence: Confidence
) -> None:
    seen = replace(_seen(1, "quay-1", began=learned), read_at=at(0), interval=timedelta(minutes=interval))
    home = choose_home([seen], at(0))
    assert home.confidence is confidence
    late = Because.LEARNED_LATELY in {reason.because for reason in home.reasons}
    assert late is (confidence is Confidence.LIKELY)


@pytest.mark.parametrize(("read_since", "paused"), [(-20, True), (-60, False), (5, False), (None, False)])
def test_a_home_during_a_pause_of_readings_says_so(read_since: float | None, paused: bool) -> None:
    since = None if read_since is None else at(read_since)
    seen = replace(_seen(1, "quay-1", began=-60), read_since=since)
    home = choose_home([seen], at(0))
    assert (HomeReason(Because.READ_ANEW, seen.stay.place, since=since) in home.reasons) is paused
    assert home.confidence is Confidence.SURE, "it is there now"


def test_an_address_that_a_finding_says_is_here_and_there_has_no_sure_home() -> None:
    seen = replace(_seen(1, "quay-1", began=-60), read_at=at(0), interval=timedelta(minutes=1))
    for contested in (
        Contested(macs=frozenset({("", seen.stay.mac)})),
        Contested(ports=frozenset({seen.port})),
    ):
        home = choose_home([seen], at(0), contested)
        assert (home.confidence, home.reasons[0].because) == (Confidence.DOUBTFUL, Because.CONTESTED)


@pytest.mark.parametrize(
    ("learned", "newcomers", "doubtful"), [(-1, 5, True), (-1, 4, False), (-30, 5, False)]
)
def test_a_home_at_a_port_to_which_many_come_at_once_is_doubtful(
    learned: float, newcomers: int, doubtful: bool
) -> None:
    lately = _seen(1, "quay-1", began=learned)
    seen = replace(lately, read_at=at(0), interval=timedelta(minutes=1), newcomers=newcomers)
    home = choose_home([seen], at(0))
    assert (home.confidence is Confidence.DOUBTFUL) is doubtful
    assert (home.reasons[0].because is Because.CAME_WITH_MANY) is doubtful


def test_newcomers_are_counted_by_port_within_the_ageing_time_of_the_switch() -> None:
    learned, recent = {1: 7, 2: 7, 3: 8}, {1: at(-20), 2: at(-2), 3: at(-1), 4: at(0)}
    table = MacTable(learned, {7: "p7", 8: "p8"}, recent, at(0))
    assert newcomer_counts({"a": table}, lambda _: timedelta(minutes=5)) == {("a", "p7"): 1, ("a", "p8"): 1}
    assert newcomer_counts({"a": replace(table, read_at=None)}, lambda _: timedelta(0)) == {}


def test_how_sure_a_home_is_follows_from_what_speaks_against_it() -> None:
    sure = [_seen(1, "quay-1"), _seen(2, "core-1", leads_to=("quay-1",))]
    assert choose_home(sure).confidence is Confidence.SURE
    lingering = [_seen(1, "quay-1"), _seen(2, "quay-2", began=-9, quiet=True)]
    assert choose_home(lingering).confidence is Confidence.LIKELY
    both = [_seen(1, "quay-1"), _seen(2, "quay-2", began=-9)]
    assert choose_home(both).confidence is Confidence.DOUBTFUL
    assert choose_home(both).reasons == (HomeReason(Because.LEARNED_LATER, Place("quay-2", "p1", 10)),)
    two_vlans = [_seen(1, "quay-1"), replace(_seen(2, "quay-1"), stay=_in_vlan(20))]
    assert choose_home(two_vlans).confidence is Confidence.SURE, "two VLANs of one port are one place"
    crowded = [replace(_seen(1, "quay-1"), address_count=40), replace(_seen(2, "quay-2"), address_count=1)]
    assert choose_home(crowded).at is crowded[1], "learned at once: the emptier port"


def test_an_address_is_at_two_places_only_beyond_what_lingers_after_a_move() -> None:
    old, new = _seen(1, "a", began=0), _seen(2, "b", began=10)
    for read_old, read_new, real in ((14, 20, False), (16, 20, True), (16, 9, False)):
        one, other = replace(old, read_at=at(read_old)), replace(new, read_at=at(read_new))
        assert both_present_beyond_ageing(one, other) is real is both_present_beyond_ageing(other, one)
    assert not both_present_beyond_ageing(replace(old, read_at=at(99)), _seen(3, "b", began=10, quiet=True))


def test_a_trigger_waits_for_more_of_its_kind_but_not_for_ever() -> None:
    debounce = Debounce(timedelta(seconds=3))
    start = at(0)
    debounce.trigger("quay-1", start)
    debounce.trigger("quay-2", start + timedelta(seconds=2))
    assert debounce.next_due() == start + timedelta(seconds=3)
    assert debounce.pop_due(start + timedelta(seconds=3)) == ["quay-1"]
    for second in range(3, 40):
        debounce.trigger("quay-2", start + timedelta(seconds=second))
    assert debounce.next_due() == start + timedelta(seconds=17), "five delays after the first trigger"
    assert debounce.pop_due(start + timedelta(seconds=17)) == ["quay-2"]
    assert debounce.next_due() is None


def test_a_longer_prefix_of_ones_own_wins_and_local_addresses_have_no_registered_maker() -> None:
    own = {parse_prefix("02:1A:01"): "Lowmere", parse_prefix("021a-01f"): "Lowmere Special"}
    makers = Makers(own, lambda mac: "from the registry")
    assert makers.of(MacAddress(0x021A01000000)) == "Lowmere"
    assert makers.of(MacAddress(0x021A01F00000)) == "Lowmere Special"
    assert makers.of(MacAddress(0x021A02000000)) == "", "locally administered, and not in the list"
    assert makers.of(MacAddress(0x001A02000000)) == "from the registry"
    assert makers.prefixes_of("special") == ["021a01f"]
    for text in ("021a0", "021a01000000", "zz:zz:zz"):
        with pytest.raises(Invalid, match="is no prefix"):
            parse_prefix(text)


@pytest.mark.parametrize(
    ("mac", "maker", "alone", "expected"),
    [
        (0x001A02000000, "", True, AddressOrigin.REGISTRY),
        (0x021A02000000, "", False, AddressOrigin.LOCAL),
        (0x021A02000000, "Lowmere", True, AddressOrigin.LOCAL),
        (0xDAA119C52D3E, "", True, AddressOrigin.RANDOM),
    ],
)
def test_where_an_address_comes_from(mac: int, maker: str, alone: bool, expected: AddressOrigin) -> None:
    assert address_origin(MacAddress(mac), maker, alone=alone) is expected


def test_the_index_knows_who_shares_a_prefix() -> None:
    index = AddressIndex([MacAddress(0x021A02000001), MacAddress(0xDAA119C52D3E)])
    index.add([MacAddress(0x021A02000002)])
    assert index.shares_prefix(MacAddress(0x021A02000001))
    assert not index.shares_prefix(MacAddress(0xDAA119C52D3E))
    assert index.shares_prefix(MacAddress(0xDAA119000000)), "not known itself, but its neighbour is"
    assert index.beginning("021a02", 1) == [MacAddress(0x021A02000001)]


SOUND = SwitchCondition(
    name="quay-1",
    interval=MINUTE,
    ageing=5 * MINUTE,
    read_at=at(10),
    bridge_address=mac(1),
    learning_discards=0,
    present=90,
)


@pytest.mark.parametrize(
    ("values", "health", "since"),
    [
        ({}, SwitchHealth.READ, 3),
        ({"read_at": at(5)}, SwitchHealth.LATE, 8),
        ({"read_at": at(5), "last_outcome": SwitchHealth.SILENT}, SwitchHealth.SILENT, 3),
        ({"read_at": at(5), "enabled": False, "off_since": at(6)}, SwitchHealth.OFF, 6),
    ],
    ids=["read", "late", "silent", "off, whatever came of the last reading"],
)
def test_how_a_switch_is_and_since_when(values: dict[str, Any], health: SwitchHealth, since: float) -> None:
    condition = replace(SOUND, outcome_since=at(3), **values)
    assert (condition.health(at(10)), condition.health_since(at(10))) == (health, at(since))


@pytest.mark.parametrize(
    ("values", "share", "expected", "text"),
    [
        pytest.param({}, 0.9, None, "", id="sound"),
        pytest.param({"table_size": 100}, 0.9, Warned.TABLE_NEARLY_FULL, "90 of 100", id="nearly full"),
        pytest.param(
            {"present": 0, "ports_up": 7},
            *(0.9, Warned.TABLE_EMPTY, "empty while 7 ports are up"),
            id="it shows nobody",
        ),
        pytest.param({"present": 0}, 0.9, None, "", id="nobody is there"),
        pytest.param({"table_size": 100}, 0.95, None, "", id="full from a higher share on"),
        pytest.param(
            {"learning_discards": 7, "discards_rose_at": at(9)},
            *(0.9, Warned.DISCARDS_RISING, "the count rises: 7"),
            id="discards rising",
        ),
        pytest.param(
            {"learning_discards": 7, "discards_rose_at": at(-60)},
            *(0.9, Warned.DISCARDS_BEFORE, "not rising now"),
            id="discards before",
        ),
        pytest.param({"drift": -31 * MINUTE / 60}, 0.9, Warned.CLOCK_OFF, "31 s behind", id="clock"),
        pytest.param({"interval": 6 * MINUTE}, 0.9, Warned.AGEING_TOO_SHORT, "after 5 min", id="read seldom"),
        pytest.param({"name": "quay-1b"}, 0.9, Warned.SAME_BRIDGE_ADDRESS, "as quay-1:", id="same address"),
        pytest.param(
            {"name": "quay-1b", "bridge_address": mac(2), "address": "192.0.2.7:161"},
            *(0.9, Warned.SAME_ADDRESS, "same address as quay-1:"),
            id="asked twice",
        ),
        pytest.param({"read_at": at(5)}, 0.9, Warned.LATE, "is 5 min old", id="late"),
        pytest.param({"read_at": at(5), "enabled": False}, 0.9, Warned.OFF, "reading, 5 min ago", id="off"),
        pytest.param({"read_at": None, "enabled": False}, 0.9, None, "", id="off, and never read"),
    ],
)
def test_what_is_odd_about_a_switch(
    values: dict[str, Any], share: float, expected: Warned | None, text: str
) -> None:
    condition = replace(SOUND, **values)
    found = list(
        switch_warnings(condition, {mac(1): ["quay-1"]}, at(10), share, {"192.0.2.7:161": ["quay-1"]})
    )
    assert [one.what for one in found] == ([] if expected is None else [expected])
    assert all(text in warning_text(one, at(10)) for one in found)


@pytest.mark.parametrize(
    ("values", "use"),
    [
        ({"uplink": True, "oper": Oper.DOWN}, PortUse.UPLINK),
        ({"uplink": True, "shut": True, "oper": Oper.DOWN}, PortUse.SHUT),
        ({"oper": Oper.DOWN, "quiet": 3}, PortUse.DOWN),
        ({"present": 1, "quiet": 3}, PortUse.IN_USE),
        ({"quiet": 1, "silent": True}, PortUse.QUIET),
        ({"silent": True}, PortUse.SILENT),
        ({}, PortUse.IDLE),
    ],
)
def test_how_a_port_is_used(values: dict[str, Any], use: PortUse) -> None:
    facts: dict[str, Any] = {"uplink": False, "shut": False, "present": 0, "quiet": 0}
    facts |= {"oper": Oper.UP, "silent": False}
    assert port_use(**facts | values) is use


def test_drift_is_seen_through_a_wrap() -> None:
    before = WRAP_TICKS - 1000
    assert drift(before, at(0), 5000, at(1)) == timedelta(0)
    assert drift(before, at(0), 5500, at(1)) == timedelta(seconds=5)


@pytest.mark.parametrize(
    ("minute", "quiet_since", "last_seen"), [(1, None, None), (1.5, 1.2, 1.2), (6, 5, 4), (8, 5, 4)]
)
def test_a_stay_is_reported_as_it_was_known_then(
    minute: float, quiet_since: float | None, last_seen: float | None
) -> None:
    whole = Stay(
        id=1,
        mac=mac(1),
        place=Place("quay-1", "p1", 10),
        began_at=at(0),
        resumed_at=at(2),
        last_seen_at=at(4),
        quiet_at=at(5),
        ended_at=at(9),
        ending=Ending.HELD_OUT,
    )
    resumed = at(0 if minute < 2 else 2)
    then = whole.as_known_then(resumed, None if quiet_since is None else at(quiet_since))
    life = Life.PRESENT if quiet_since is None else Life.QUIET
    assert (then.life, then.ended_at, then.ending) == (life, None, None)
    assert then.last_seen_at == (None if last_seen is None else at(last_seen))
    assert then.resumed_at == resumed


@given(
    st.lists(st.text("aB \nß-1", max_size=6), max_size=12),
    st.text("aB ß-1", min_size=1, max_size=4),
    st.sampled_from((2, 1000)),
    st.integers(0, 12),
)
def test_words_are_found_by_any_part_of_them_whatever_the_case(
    texts: list[str], part: str, few: int, first: int
) -> None:
    pairs = [(text, number) for number, text in enumerate(texts)]
    index = TextIndex(pairs[first:], few, TextIndex(pairs[:first]))
    folded = [text.casefold().replace("\n", " ") for text in texts]
    wanted = part.casefold()
    found = index.find(part, 100)
    assert set(found) == {number for number, text in enumerate(folded) if wanted in text}
    begins = [folded[number].startswith(wanted) for number in found]
    assert begins == sorted(begins, reverse=True) and index.find(part, 2) == found[:2]
    assert index.find_exact(part, 100) == [number for number, text in enumerate(folded) if text == wanted]


def test_accents_are_no_matter_in_a_text_that_is_looked_for() -> None:
    index = TextIndex([("Ålesund quai Général", 1)])
    assert [index.find(part, 5) for part in ("alesund", "GÉNÉ", "gene", "quäi", "x")] == [[1]] * 4 + [[]]


@pytest.mark.parametrize("text", ["", "-1", "+1", "1.0", "\u00b2", "\u0663", " 7", "70000", "9" * 5000])
def test_only_ascii_digits_within_bounds_are_a_whole_number(text: str) -> None:
    assert whole_number(text, most=65535) is None


def test_a_whole_number_is_read() -> None:
    assert (whole_number("0", most=9), whole_number("007", most=9)) == (0, 7)


@pytest.mark.parametrize(
    ("seen", "changed_s", "since"),
    [
        (-300, None, -300),
        (-500, 800 * 60, -200),
        (-10, 800 * 60, -200),
        (-10, 0, -1000),
        (-3000, 8, -3000),
        (None, None, None),
    ],
    ids=[
        "as it was seen",
        "changed between two readings",
        "as the switch says, also before it was read",
        "since the switch started",
        "a change at its start is none of the port",
        "nothing known",
    ],
)
def test_since_when_a_link_did_not_change(
    seen: float | None, changed_s: float | None, since: float | None
) -> None:
    """Now is at minute 0; the switch started a thousand minutes ago."""
    seen_since, expected = (None if one is None else at(one) for one in (seen, since))
    ticks = None if changed_s is None else int(changed_s * 100)
    assert unchanged_since(seen_since, ticks, 1000 * 6000, at(0)) == expected


@pytest.mark.parametrize(
    ("before", "after", "interval_min", "unread"),
    [
        (0, 10, 1, False),
        (0, 16, 1, True),
        (0, 16, 10, False),
        (0, None, 1, True),
        (50, None, 1, False),
        (None, 10, 1, True),
        (None, None, 1, True),
    ],
)
def test_a_switch_is_unread_around_an_instant_that_its_readings_are_too_far_from(
    before: int | None, after: int | None, interval_min: int, unread: bool
) -> None:
    read_before, read_after = (None if one is None else at(one) for one in (before, after))
    ageing, interval = timedelta(minutes=5), timedelta(minutes=interval_min)
    assert unread_around(read_before, read_after, ageing, interval, at(60)) is unread
