"""Rules of findings: cases in, signs out; and the life of a finding."""

from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.changes import Appeared, Change, Moved
from kiteroll.core.findings.addresses import WAIT, PortFacts, judge, shared_by_design
from kiteroll.core.findings.book import FindingBook
from kiteroll.core.findings.ips import HeldIp, contested, several
from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, State, Subject, Thresholds
from kiteroll.core.findings.pages import PAGES
from kiteroll.core.findings.standing import QuietPort, SwitchFacts, standing
from kiteroll.core.findings.storms import Storms
from kiteroll.core.home import Sighting
from kiteroll.core.mac import MacAddress
from kiteroll.core.stay import Ending, Place, Stay
from kiteroll.core.topology import Ground, PortRole, Role, Topology
from tests.make import at, mac

LIMITS = Thresholds()
Trail = list[tuple[str, str, float, float | None]]
"""switch, port, began, ended (minutes); ports named up are uplinks."""


def sightings(trail: Trail, *, read: float) -> list[Sighting]:
    return [
        Sighting(
            Stay(
                id=number,
                mac=mac(1),
                place=Place(switch, port, 10),
                began_at=at(began),
                resumed_at=at(began),
                last_seen_at=None if ended is None else at(ended),
                ended_at=None if ended is None else at(ended),
                ending=None if ended is None else Ending.MOVED,
            ),
            uplink=port == "up",
            read_at=at(read),
        )
        for number, (switch, port, began, ended) in enumerate(trail)
    ]


def said(trail: Trail, *, now: float = 10, links: dict[str, float] | None = None, others: int = 0) -> object:
    """Kind and cause of the sign; `links`: when a switch's ports last went up or down."""

    def facts(place: tuple[str, str]) -> PortFacts:
        changed = at((links or {}).get(place[0], -500))
        return PortFacts(changed, frozenset(mac(100 + number) for number in range(others)))

    sign = judge(mac(1), sightings(trail, read=now), facts, LIMITS, at(now))
    return sign if not isinstance(sign, Sign) else (sign.kind, sign.cause.split(":")[0])


STAYS: Trail = [("a", "p1", -60, None), ("b", "up", -60, None)]
MOVE: Trail = [("a", "p1", -60, 5), ("a", "up", 5, None), ("b", "up", -60, 5), ("b", "p2", 5, None)]
SAME: Trail = [("a", "p1", -60, 5), ("a", "p7", 5, None)]
TO_AND_FRO: Trail = [
    *(("a", "p1", 0, 2), ("a", "up", 2, 4), ("a", "p1", 4, 6), ("a", "up", 6, 8), ("a", "p1", 8, None)),
    *(("b", "p2", 2, 4), ("b", "up", 4, 6), ("b", "p2", 6, 8), ("b", "up", 8, None)),
]
BOTH: Trail = [("a", "p1", -60, None), ("b", "p2", 0, None)]


@pytest.mark.parametrize(
    ("trail", "options", "expected"),
    [
        (STAYS, {}, None),
        (MOVE, {}, (Kind.MOVED, "carried elsewhere")),
        (MOVE, {"links": {"a": 5}}, (Kind.MOVED, "carried elsewhere")),
        (SAME, {"links": {"a": 5}}, (Kind.MOVED, "re-plugged")),
        (MOVE, {"now": 60}, None),
        (TO_AND_FRO, {"links": {"a": 8, "b": 8}}, (Kind.FLAPPING, "loose or re-plugged cable")),
        (TO_AND_FRO, {}, (Kind.DOUBLED, "cloned address")),
        (TO_AND_FRO, {"links": {"b": 2}}, (Kind.DOUBLED, "cloned address")),
        (TO_AND_FRO, {"others": 5}, (Kind.FLAPPING, "roaming")),
        (TO_AND_FRO, {"others": 1}, (Kind.FLAPPING, "failover pair")),
        (BOTH, {"now": 4}, None),
        (BOTH, {"now": 6}, (Kind.DOUBLED, "cloned address")),
    ],
    ids=[
        "stays", "moved", "moved, link down", "re-plugged", "moved long ago", "loose cable", "clone",
        "clone just plugged in", "roaming", "failover", "both, may linger", "both, beyond the ageing time",
    ],
)  # fmt: skip
def test_what_the_stays_of_an_address_say(trail: Trail, options: dict[str, object], expected: object) -> None:
    assert said(trail, **options) == expected  # type: ignore[arg-type]


def test_it_waits_for_the_switches_concerned_and_then_judges_without() -> None:
    def judged(minutes: float) -> object:
        return judge(mac(1), sightings(TO_AND_FRO, read=5), lambda _: PortFacts(), LIMITS, at(minutes))

    assert judged(9) is WAIT
    later = judged(12)
    assert isinstance(later, Sign) and later.kind is Kind.FLAPPING


def test_evidence_names_times_and_ports() -> None:
    sign = judge(mac(1), sightings(MOVE, read=10), lambda _: PortFacts(), LIMITS, at(10))
    assert isinstance(sign, Sign)
    assert sign.title == f"{mac(1)} moved from a port p1 to b port p2"
    assert sign.evidence == (
        Evidence(at(5), "learned at b port p2 VLAN 10"),
        Evidence(at(5), "no longer at a port p1 VLAN 10"),
    )
    assert sign.places == {("a", "p1"), ("b", "p2")}


def test_virtual_routers_and_the_operators_list_are_shared_by_design() -> None:
    assert shared_by_design(MacAddress(0x00005E000101), frozenset())
    assert shared_by_design(MacAddress(0x00005E0002FE), frozenset())
    assert not shared_by_design(MacAddress(0x00005E000301), frozenset())
    assert shared_by_design(mac(1), frozenset({"021a01"}))


UPLINKED = Topology({("a", "up"): PortRole(Role.UPLINK, Ground.NEIGHBOUR, "", ("b",), ("b",))})


def _moved(number: int, minutes: float, origin: str, to: str) -> Moved:
    return Moved(
        at=at(minutes),
        mac=mac(number),
        place=Place("a", to, 10),
        stay=number,
        origin=Place("a", origin, 10),
        ended=number,
        last_seen_at=at(minutes),
    )


def _storm(changes: list[Change], topology_changes: int = 0) -> list[tuple[Kind, str]]:
    storms = Storms(LIMITS)
    storms.take("a", [], 0, UPLINKED, at(0))
    return [
        (sign.kind, sign.subject.key) for sign in storms.take("a", changes, topology_changes, UPLINKED, at(1))
    ]


def test_a_loop_is_one_finding_and_a_new_path_is_none() -> None:
    there = [_moved(number, 0.5, "p1", "p2") for number in range(20)]
    back = [_moved(number, 0.9, "p2", "p1") for number in range(3, 9)]
    assert _storm([*there, *back]) == [(Kind.LOOP, "|a||")]
    assert _storm(there) == [], "all went the same way"
    assert _storm([*there[:2], *back[:2]]) == [], "too few"


def test_a_loop_is_summed_up_now_and_then_however_often_one_looks() -> None:
    storms = Storms(LIMITS)
    changes = [_moved(number, 0.5, "p1", "p2") for number in range(20)]
    changes += [_moved(number, 0.9, "p2", "p1") for number in range(3, 9)]
    told = []
    for look in range(30):  # one a second
        for sign in storms.take("a", changes if look == 0 else [], 0, UPLINKED, at(1 + look / 60)):
            told += [one.text for one in sign.evidence if "to and fro" in one.text]
    assert told == ["20 addresses jumped to and fro between ports p1 and p2"] * 3


def test_a_flood_is_told_of_access_ports_only() -> None:
    def new(port: str, count: int) -> list[Change]:
        return [
            Appeared(at=at(0.5), mac=mac(number), place=Place("a", port, 10), stay=number)
            for number in range(count)
        ]

    assert _storm(new("p5", 60)) == [(Kind.FLOOD, "|a|p5|")]
    assert _storm(new("up", 60)) == []
    assert _storm(new("p5", 20)) == []


WELL = SwitchFacts(
    name="a",
    health="read",
    health_since=at(0),
    error="",
    interval=timedelta(seconds=60),
    ageing=timedelta(seconds=300),
    present=50,
    table_size=100,
    discards_rose_at=None,
    late_since=None,
)


@pytest.mark.parametrize(
    ("facts", "expected"),
    [
        (WELL, []),
        (replace(WELL, present=90), [(Kind.FILLING, Severity.WARNING)]),
        (replace(WELL, discards_rose_at=at(9)), [(Kind.FILLING, Severity.SERIOUS)]),
        (replace(WELL, interval=timedelta(seconds=301)), [(Kind.AGEING, Severity.WARNING)]),
        (replace(WELL, health="silent", error="no answer"), [(Kind.UNREAD, Severity.WARNING)]),
        (replace(WELL, late_since=at(5)), [(Kind.UNREAD, Severity.WARNING)]),
        (replace(WELL, health="off", interval=timedelta(seconds=301)), []),
    ],
)
def test_conditions_of_switches(facts: SwitchFacts, expected: list[tuple[Kind, Severity]]) -> None:
    assert [(one.kind, one.severity) for one in standing([facts], [], LIMITS, at(10))] == expected


def test_a_port_is_silent_after_its_time_counted_from_the_last_that_was_heard() -> None:
    up = QuietPort(switch="a", port="p1", alias="Kiosk", up_since=at(0), last_seen_at=at(60))
    day = 24 * 60
    assert list(standing([], [up], LIMITS, at(day + 59))) == []
    (sign,) = standing([], [up], LIMITS, at(day + 60))
    assert (sign.kind, sign.first_at) == (Kind.SILENT_PORT, at(60))
    assert "(Kiosk) is up and nobody is heard" in sign.title


def test_an_ip_that_answers_by_turns_is_contested() -> None:
    turns = [(at(0), mac(1)), (at(1), mac(2)), (at(2), mac(1))]
    (sign,) = contested("10.0.0.5", turns)
    assert (sign.subject.ip, len(sign.evidence)) == ("10.0.0.5", 3)
    assert list(contested("10.0.0.5", turns[:1])) == []


def test_unrelated_ips_of_one_address_are_told_once_they_last() -> None:
    def held(ip: str, hours: float, *names: str) -> HeldIp:
        return HeldIp(ip, "core-1", at(60 * hours), frozenset(names))

    def told(hours: float, *ips: HeldIp) -> list[Sign]:
        return list(several(mac(1), ips, LIMITS, at(60 * hours)))

    first, later = held("10.0.0.5", 0, "kiosk-5"), held("10.0.0.9", 20, "kiosk-9")
    assert told(25.9, first, later) == []
    (sign,) = told(26, first, later)
    assert (sign.kind, sign.subject.mac, sign.first_at) == (Kind.SEVERAL_IPS, mac(1), at(60 * 20))
    assert sign.title.endswith("answers with 10.0.0.5 (kiosk-5) and with 10.0.0.9 (kiosk-9)")
    assert told(40, first, held("10.0.0.9", 20, "kiosk-5")) == []  # the same host
    assert told(40, first, held("10.0.0.9", 0.5)) == []  # set up together
    assert told(40, *(held(f"10.0.0.{number}", number) for number in range(9))) == []  # a router


def _sign(minutes: float, kind: Kind = Kind.FLAPPING, **values: object) -> Sign:
    fields: dict[str, object] = {
        "kind": kind,
        "severity": Severity.WARNING,
        "subject": Subject(mac=mac(1)),
        "title": "it jumped",
        "evidence": (Evidence(at(minutes), f"jump at {minutes}"),),
        "first_at": at(minutes),
        "last_at": at(minutes),
        "places": frozenset({("a", "p1")}),
    }
    return Sign(**fields | values)  # type: ignore[arg-type]


def test_a_finding_gathers_clears_when_quiet_and_reopens_with_its_history() -> None:
    book = FindingBook(LIMITS)
    (first,) = book.take(_sign(0), None)
    assert book.take(_sign(0), None) == [], "old news"
    (second,) = book.take(_sign(5), None)
    assert (first.count, second.count, second.first_at, second.last_at) == (1, 2, at(0), at(5))
    assert book.tick(at(19)) == []
    (cleared,) = book.tick(at(20))
    assert (cleared.state, cleared.cleared_at, cleared.cleared_by) == (State.CLEARED, at(20), "")
    assert book.take(_sign(5), cleared) == [], "what was known when it cleared does not reopen it"
    (again,) = book.take(_sign(30), cleared)
    assert (again.state, again.opened, again.count, again.first_at) == (State.OPEN, 2, 3, at(0))
    assert [one.text for one in again.evidence] == ["jump at 0", "jump at 5", "jump at 30"]


def test_acknowledged_until_and_cleared_by_hand() -> None:
    book = FindingBook(LIMITS)
    (one,) = book.take(_sign(0), None)
    held = book.acknowledge(one.key, "Mara", "cable ordered", at(8))
    assert held is not None and (held.state, held.note) == (State.ACKNOWLEDGED, "cable ordered")
    (gathered,) = book.take(_sign(4), None)
    assert gathered.state is State.ACKNOWLEDGED, "new evidence does not take the acknowledgement away"
    (back,) = book.tick(at(8))
    assert back.state is State.OPEN
    cleared = book.clear(one.key, "Mara", at(9))
    assert cleared is not None and (cleared.state, cleared.cleared_by) == (State.CLEARED, "Mara")
    assert book.clear(one.key, "Mara", at(9)) is None
    assert book.acknowledge(one.key, "Mara", "", None) is None


@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 20), st.sampled_from(["sign", "tick", "ack"]))))
def test_time_clears_each_finding_when_it_was_quiet_long_enough(steps: list[tuple[int, int, str]]) -> None:
    book, now = FindingBook(LIMITS), 0
    last: dict[MacAddress, int] = {}
    for number, minutes, what in steps:
        now += minutes
        sign = _sign(now, subject=Subject(mac=mac(number)))
        if what == "ack":
            book.acknowledge(sign.key, "Mara", "", at(now + 3))
        due = {one for one, heard in last.items() if at(now) - at(heard) >= LIMITS.quiet}
        cleared = {one.subject.mac for one in book.tick(at(now)) if one.state is State.CLEARED}
        assert cleared == due
        last = {one: heard for one, heard in last.items() if one not in due}
        for one in book.live().values():
            overdue = one.acknowledged_until is not None and one.acknowledged_until <= at(now)
            assert not overdue, "an acknowledgement ends in time"
        if what == "sign" and book.take(sign, None):
            last[mac(number)] = now
    assert {one.subject.mac for one in book.live().values()} == last.keys()


def test_one_loop_explains_the_flaps_that_came_before_and_after_it() -> None:
    book = FindingBook(LIMITS)
    (flap,) = book.take(_sign(0), None)
    loop_places = frozenset({("a", "p1"), ("a", "p2")})
    loop = _sign(1, Kind.LOOP, subject=Subject(switch="a"), places=loop_places)
    opened, explained = book.take(loop, None)
    assert (explained.key, explained.part_of) == (flap.key, opened.key)
    (later,) = book.take(_sign(2, subject=Subject(mac=mac(2))), None)
    elsewhere = frozenset({("z", "p1")})
    (far,) = book.take(_sign(2, subject=Subject(mac=mac(3)), places=elsewhere), None)
    (moved,) = book.take(_sign(2, Kind.MOVED, subject=Subject(mac=mac(4)), places=elsewhere), None)
    assert (later.part_of, far.part_of, moved.part_of) == (opened.key, opened.key, "")


def test_what_comes_when_its_explanation_is_over_speaks_for_itself() -> None:
    book = FindingBook(LIMITS)
    book.take(_sign(0, Kind.LOOP, subject=Subject(switch="a")), None)
    (flap,) = book.take(_sign(29), None)
    assert flap.part_of
    (over,) = book.tick(at(30))
    assert (over.kind, over.state) == (Kind.LOOP, State.CLEARED)
    assert book.live()[flap.key].part_of, "what came while it lasted stays part of it"
    (again,) = book.take(_sign(31), None)
    assert (again.state, again.part_of) == (State.OPEN, "")


def test_a_doubled_address_explains_its_own_moves_and_no_others() -> None:
    book = FindingBook(LIMITS)
    book.take(_sign(0, Kind.MOVED), None)
    book.take(_sign(0, Kind.MOVED, subject=Subject(mac=mac(2))), None)
    found = book.take(_sign(1, Kind.DOUBLED), None)
    assert [one.subject.mac for one in found if one.part_of] == [mac(1)]


def test_how_something_is_needs_telling_once() -> None:
    book = FindingBook(LIMITS)
    silent = {"kind": Kind.SILENT_PORT, "subject": Subject(switch="a", port="p1")}
    book.take(_sign(0, **silent), None)
    (still,) = book.take(_sign(1, **silent), None)
    assert (still.count, still.last_at) == (1, at(1))
    (over,) = book.tick(at(3))
    assert over.state is State.CLEARED


@pytest.mark.parametrize("kind", list(Kind))
def test_every_kind_has_a_help_page(kind: Kind) -> None:
    page = PAGES[kind]
    assert all((page.title, page.why, page.looks, page.do, page.quieten))
