"""Every kind of finding: what is one, and what is none."""

from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from kiteroll.core.findings.address_view import PortFacts, view_of
from kiteroll.core.findings.bursts import BurstHistory, Step
from kiteroll.core.findings.classify import NotYet, classify_address
from kiteroll.core.findings.evidence import Learned, Left, LinkSteady, ManyJumped
from kiteroll.core.findings.finding import Cause, Detection, FindingKind, Severity
from kiteroll.core.findings.kinds import (
    address_flood,
    ageing_too_long,
    ageing_too_short,
    ip_conflict,
    loop,
    moved,
    multiple_ips,
    silent_port,
    switch_not_read,
    switch_restarted,
    table_filling,
)
from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.findings.kinds.silent_port import PortActivity
from kiteroll.core.findings.lasting import LastingConditions
from kiteroll.core.findings.loop_watch import LoopWatch
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Appeared, Change, Moved, Restarted
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.model.stay import Ending, Place, Stay
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence, Topology
from kiteroll.core.topology.sighting import Sighting, judged_ageing
from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import evidence_text
from tests.support.factories import at, mac

THRESHOLDS = Thresholds()
MINUTE = timedelta(minutes=1)
Stays = list[tuple[str, str, float, float | None]]
"""switch, port, began, ended (minutes); ports named up are uplinks."""


# --- moved, flapping, duplicate: the places of one address -------------------------------


def _sightings(stays: Stays, *, read: float) -> list[Sighting]:
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
            uplink=port == "up" or switch == "c",
            read_at=at(read),
        )
        for number, (switch, port, began, ended) in enumerate(stays)
    ]


def _classify(
    stays: Stays,
    *,
    now: float = 10,
    read: float | None = None,
    links: dict[str, float] | None = None,
    others: int = 0,
    joined: bool = True,
    vlans: tuple[int | None, ...] = (),
    read_of: dict[str, float] | None = None,
    every: float = 1,
) -> Detection | NotYet | None:
    """`links`: when the ports of a switch last went up or down; `others`: more addresses on each port;
    `joined`: whether the switches are known to be of one network; `vlans`: of each stay; `read_of`: when a
    switch was last read, where that is not `read`; they are read `every` so many minutes."""

    def facts(port: PortRef) -> PortFacts:
        changed = at((links or {}).get(port[0], -500))
        return PortFacts(changed, changed, frozenset(mac(100 + number) for number in range(others)))

    sightings = [
        replace(
            one,
            interval=every * MINUTE,
            read_at=at((read_of or {}).get(one.port[0], now if read is None else read)),
            stay=replace(one.stay, place=replace(one.stay.place, vlan=vlans[number] if vlans else 10)),
        )
        for number, one in enumerate(_sightings(stays, read=now))
    ]
    return classify_address(view_of(mac(1), sightings, facts, lambda *_: joined, THRESHOLDS, at(now)))


STAYS: Stays = [("a", "p1", -60, None), ("b", "up", -60, None)]
MOVES: Stays = [("a", "p1", -60, 5), ("a", "up", 5, None), ("b", "up", -60, 5), ("b", "p2", 5, None)]
SAME_SWITCH: Stays = [("a", "p1", -60, 5), ("a", "p7", 5, None)]
TO_AND_FRO: Stays = [
    *(("a", "p1", 0, 2), ("a", "up", 2, 4), ("a", "p1", 4, 6), ("a", "up", 6, 8), ("a", "p1", 8, None)),
    *(("b", "p2", 2, 4), ("b", "up", 4, 6), ("b", "p2", 6, 8), ("b", "up", 8, None)),
]
CROSSED: Stays = [
    *(("a", "p1", -60, 1), ("a", "up", 1, 2), ("a", "p1", 2, None)),
    *(("b", "up", -60, 1), ("b", "p2", 1, None)),
    *(("c", "p3", -60, 1), ("c", "p4", 1, 3), ("c", "p3", 3, 5), ("c", "p4", 5, None)),
]
"""Switch c, between the two, sees it alternate; both access switches keep it at their own port."""
AT_BOTH: Stays = [("a", "p1", -60, None), ("b", "p2", 0, None)]


@pytest.mark.parametrize(
    ("stays", "options", "expected"),
    [
        pytest.param(STAYS, {}, None, id="stays"),
        pytest.param(MOVES, {}, (FindingKind.MOVED, Cause.CARRIED), id="moves"),
        pytest.param(MOVES, {"links": {"a": 5}}, (FindingKind.MOVED, Cause.CARRIED), id="moves, link down"),
        pytest.param(SAME_SWITCH, {"links": {"a": 5}}, (FindingKind.MOVED, Cause.REPLUGGED), id="re-plugged"),
        pytest.param(MOVES, {"now": 60}, None, id="moved long ago"),
        pytest.param(MOVES, {"joined": False}, None, id="one of the ports may lead to the other switch"),
        pytest.param(
            MOVES,
            {"joined": False, "links": {"a": 5}},
            (FindingKind.MOVED, Cause.CARRIED),
            id="carried to another network",
        ),
        pytest.param(
            [("a", "p1", -60, 5), ("b", "p2", -20, None)],
            {"now": 5, "every": 30},
            (FindingKind.MOVED, Cause.CARRIED),
            id="moved, and the old switch is read half an hour later",
        ),
        pytest.param(
            TO_AND_FRO,
            {"links": {"a": 8, "b": 8}},
            (FindingKind.FLAPPING, Cause.LOOSE_CABLE),
            id="loose cable",
        ),
        pytest.param(TO_AND_FRO, {}, (FindingKind.DUPLICATE, Cause.CLONED), id="clone"),
        pytest.param(
            TO_AND_FRO, {"links": {"b": 2}}, (FindingKind.DUPLICATE, Cause.CLONED), id="clone just plugged in"
        ),
        pytest.param(TO_AND_FRO, {"others": 5}, (FindingKind.FLAPPING, Cause.ROAMING), id="roaming"),
        pytest.param(TO_AND_FRO, {"others": 1}, (FindingKind.FLAPPING, Cause.FAILOVER_PAIR), id="failover"),
        pytest.param(
            CROSSED, {"now": 6, "links": {"b": 1}}, (FindingKind.DUPLICATE, Cause.CLONED), id="in between"
        ),
        pytest.param(
            CROSSED,
            {"now": 6, "links": {"b": 5.5}},
            (FindingKind.FLAPPING, Cause.LOOSE_CABLE),
            id="late link",
        ),
        pytest.param(AT_BOTH, {"now": 4}, None, id="at both, may linger"),
        pytest.param(AT_BOTH, {"now": 6}, (FindingKind.DUPLICATE, Cause.CLONED), id="at both beyond ageing"),
        pytest.param(
            AT_BOTH,
            {"now": 6, "vlans": (10, None)},
            (FindingKind.DUPLICATE, Cause.CLONED),
            id="a VLAN not reported",
        ),
        pytest.param(AT_BOTH, {"now": 6, "vlans": (10, 20)}, None, id="in two VLANs"),
        pytest.param(
            [("a", "p8", -60, None), ("a", "p9", 0, None)],
            {"now": 6, "vlans": (10, 20)},
            None,
            id="a port a VLAN",
        ),
        pytest.param(AT_BOTH, {"now": 6, "joined": False}, None, id="in two networks"),
        pytest.param(
            AT_BOTH,
            {"now": 4, "read_of": {"a": -20}},
            (FindingKind.MOVED, Cause.CARRIED),
            id="the old switch died",
        ),
        pytest.param(AT_BOTH, {"now": 4, "read_of": {"a": -2}}, None, id="the old switch is late"),
    ],
)
def test_what_the_stays_of_an_address_mean(
    stays: Stays, options: dict[str, object], expected: object
) -> None:
    found = _classify(stays, **options)  # type: ignore[arg-type]
    assert (found if not isinstance(found, Detection) else (found.kind, found.cause)) == expected


@pytest.mark.parametrize(
    ("stays", "from_port"),
    [
        ([("a", "p1", -3000, -2000), ("b", "p2", 0, None)], ("a", "p1")),
        ([("a", "p1", -9000, -8000), ("d", "p3", -3000, -2000), ("b", "p2", 0, None)], ("d", "p3")),
        ([("a", "p1", -3000, -2000), ("b", "p2", -1900, -5), ("b", "p2", 0, None)], None),
        ([("a", "p1", -20_000, -15_000), ("b", "p2", 0, None)], None),
        ([("a", "p1", -3000, -2000), ("b", "p2", -100, None)], None),
        ([("a", "p1", -3000, None), ("b", "p2", 0, None)], None),
    ],
    ids=["away for a day", "the last place counts", "back", "away for weeks", "here for long", "still there"],
)
def test_an_address_that_comes_up_elsewhere_has_moved_however_long_it_was_away(
    stays: Stays, from_port: PortRef | None
) -> None:
    sightings = [replace(one, interval=MINUTE) for one in _sightings(stays, read=1)]
    view = view_of(mac(1), sightings, lambda _: PortFacts(), lambda *_: True, THRESHOLDS, at(1))
    found = moved.detect(view)
    assert (found and found.details.ports[0]) == from_port


def test_a_flap_waits_for_the_switches_concerned_and_is_then_judged_without() -> None:
    waiting = _classify(TO_AND_FRO, now=9, read=5)
    assert isinstance(waiting, NotYet) and waiting.until == at(11)
    later = _classify(TO_AND_FRO, now=12, read=5)
    assert isinstance(later, Detection) and later.kind is FindingKind.FLAPPING


def test_a_path_that_changed_before_a_move_makes_no_flap_of_it() -> None:
    """On switch c, between the two, the ring broke and mended while the address was at home."""
    ring: Stays = [("c", "p3", -60, 1), ("c", "p4", 1, 2), ("c", "p3", 2, 5), ("c", "p4", 5, None)]
    found = _classify([*MOVES, *ring], now=8)
    assert isinstance(found, Detection) and found.kind is FindingKind.MOVED


def test_a_move_waits_for_a_reading_that_confirms_it_unless_its_link_went_down() -> None:
    """The first frame of a second device with the same address looks like a move as well."""
    assert _classify(MOVES, now=5.2, read=5) == NotYet(at(8), at(5))
    for confirmed in (
        _classify(MOVES, now=5.2, read=5, links={"a": 4.8}),
        _classify(MOVES, now=6, read=6),
        _classify(MOVES, now=8, read=5),
    ):
        assert isinstance(confirmed, Detection) and confirmed.kind is FindingKind.MOVED


def test_a_move_says_from_where_to_where_and_rests_on_both_places() -> None:
    found = _classify(MOVES)
    assert isinstance(found, Detection)
    assert title(found) == f"{mac(1)} moved from a port p1 to b port p2"
    assert found.evidence == (Learned(at(5), Place("b", "p2", 10)), Left(at(5), Place("a", "p1", 10)))
    assert evidence_text(found.evidence[1]) == "no longer at a port p1 VLAN 10"
    assert found.ports == {("a", "p1"), ("b", "p2")}


def test_a_clone_rests_on_links_that_did_not_change() -> None:
    found = _classify(TO_AND_FRO)
    assert isinstance(found, Detection) and found.severity is Severity.SERIOUS
    assert {one.port for one in found.evidence if isinstance(one, LinkSteady)} == {("a", "p1"), ("b", "p2")}


@pytest.mark.parametrize(
    ("address", "prefixes", "expected"),
    [
        (MacAddress(0x00005E000101), (), True),
        (MacAddress(0x00005E0002FE), (), True),
        (MacAddress(0x00005E000301), (), False),
        (mac(1), ("021a01",), True),
        (mac(1), (mac(2).digits,), False),
    ],
)
def test_virtual_routers_and_the_operators_list_are_shared(
    address: MacAddress, prefixes: tuple[str, ...], expected: bool
) -> None:
    assert is_shared(address, prefixes) is expected


# --- loop, flood: many addresses at once ---------------------------------------------------

UPLINKS = Topology(
    {("a", port): PortRole(Role.UPLINK, RoleEvidence.NEIGHBOUR, (), ("b",), ("b",)) for port in ("up", "up2")}
)


def _jumps(first: int, last: int, origin: str, to: str, minutes: float = 0.5) -> list[Change]:
    return [
        Moved(
            at=at(minutes),
            mac=mac(number),
            place=Place("a", to, 10),
            stay=number,
            origin=Place("a", origin, 10),
            ended=number,
            last_seen_at=at(minutes),
        )
        for number in range(first, last)
    ]


def _arrivals(port: str, count: int) -> list[Change]:
    return [
        Appeared(at=at(0.5), mac=mac(number), place=Place("a", port, 10), stay=number)
        for number in range(count)
    ]


def _in_burst(
    changes: list[Change],
    *,
    present: int = 30,
    left_out: tuple[str, ...] = (),
    summarise: bool = True,
    known: bool = False,
) -> list[Detection]:
    """`known`: other switches had the addresses before."""
    bursts = BurstHistory(THRESHOLDS.loop_window)
    bursts.add("a", [], 3, at(0))
    new = {change.mac for change in changes if isinstance(change, Appeared)}
    bursts.add("a", changes, 4, at(1), () if known else new)
    steps = bursts.steps("a")
    found = loop.signs("a", steps, UPLINKS, THRESHOLDS, present=present, left_out=left_out)
    looped = []
    if found is not None:
        places, tree = found.places, bursts.topology_changed("a")
        detected = loop.detect(
            found, found.macs, places, topology_changed=tree, summarise=summarise, now=at(1)
        )
        looped.append(detected)
    return [*looped, *address_flood.detect("a", steps, UPLINKS, THRESHOLDS, at(1))]


def _pulled(port: str, homes: dict[str, int], back: bool = True) -> list[Change]:
    """So many addresses of each home port are pulled to `port`, and come back."""
    changes: list[Change] = []
    first = 0
    for home, count in homes.items():
        changes += _jumps(first, first + count, home, port)
        if back:
            changes += _jumps(first, first + count, port, home, 0.9)
        first += count
    return changes


HOMES = {"p1": 2, "p3": 2, "p4": 2}
IN_STEP = [*_jumps(0, 6, "p1", "p2", 0.2), *_jumps(0, 6, "p2", "p1", 0.5), *_jumps(0, 6, "p1", "p2", 0.8)]
AGAINST = [*_jumps(6, 12, "p2", "p1", 0.2), *_jumps(6, 12, "p1", "p2", 0.5), *_jumps(6, 12, "p2", "p1", 0.8)]
FRO = [*IN_STEP, *AGAINST]
ONE_BY_ONE = [
    jump
    for turn in range(3)
    for number in range(12)
    for jump in _jumps(
        number,
        number + 1,
        *(("p1", "p2") if (turn + number) % 2 else ("p2", "p1")),
        0.2 + (12 * turn + number) / 30,
    )
]
"""The same as probes find it: each address at an instant of its own."""
LOOP = (FindingKind.LOOP, "|a||")


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        pytest.param(_pulled("p2", HOMES), LOOP, id="pulled to one port and back to several"),
        pytest.param(_pulled("up", HOMES), LOOP, id="the same at an uplink: it may be behind it"),
        pytest.param(FRO, LOOP, id="to and fro between two access ports, often"),
        pytest.param(ONE_BY_ONE, LOOP, id="to and fro, found by probes of single addresses"),
        pytest.param(IN_STEP, None, id="all the same way each time: a path that changes"),
        pytest.param(_pulled("p2", HOMES, back=False), None, id="one way only: a new path"),
        pytest.param(
            [*_jumps(0, 12, "p1", "p2"), *_jumps(12, 22, "p2", "p1")], None, id="two classes change rooms"
        ),
        pytest.param(_pulled("p2", {"p1": 20}), None, id="all of one port, over and back"),
        pytest.param(_pulled("p2", {"p1": 1, "p3": 1, "p4": 1}), None, id="too few"),
        pytest.param(
            [*_jumps(0, 20, "up", "up2"), *_jumps(0, 20, "up2", "up")] * 2, None, id="between uplinks"
        ),
        pytest.param(_arrivals("p5", 60), (FindingKind.FLOOD, "|a|p5|"), id="many new at an access port"),
        pytest.param(_arrivals("up", 60), None, id="many new behind an uplink"),
        pytest.param(_arrivals("p5", 20), None, id="some new"),
    ],
)
def test_what_many_addresses_at_once_mean(
    changes: list[Change], expected: tuple[FindingKind, str] | None
) -> None:
    found = [(one.kind, one.subject.key) for one in _in_burst(changes)]
    assert found == ([] if expected is None else [expected])


def test_many_that_are_known_and_come_to_one_port_are_no_flood() -> None:
    """An access point that restarts, or a class that comes in."""
    assert _in_burst(_arrivals("p5", 60), known=True) == []


def test_whoever_was_cut_off_and_comes_back_is_no_loop() -> None:
    assert _in_burst(_pulled("p2", HOMES), left_out=("p2",)) == []
    assert _in_burst(_pulled("p2", HOMES), left_out=("p4",)) == []


def test_a_few_that_jump_somewhere_in_a_large_network_are_no_loop_behind_an_uplink() -> None:
    assert _in_burst(_pulled("up", HOMES), present=200) == []
    assert len(_in_burst(_pulled("p2", HOMES), present=200)) == 1


def test_a_loop_counts_its_addresses_when_asked_for_a_summary() -> None:
    (found,) = _in_burst(_pulled("p2", HOMES))
    counted = [one for one in found.evidence if isinstance(one, ManyJumped)]
    assert [(one.count, one.ports) for one in counted] == [(6, ("p2",))]
    assert title(found) == "6 addresses jump to port p2 of a and back"
    (found,) = _in_burst(_pulled("p2", HOMES), summarise=False)
    assert not any(isinstance(one, ManyJumped) for one in found.evidence)


def _chain(*names: str) -> Topology:
    """Switches in a row, each with its port `r` to the right and `l` to the left."""
    roles = {}
    for at_, name in enumerate(names):
        for port, behind in (("r", names[at_ + 1 :]), ("l", names[:at_])):
            if behind:
                roles[name, port] = PortRole(Role.UPLINK, RoleEvidence.NEIGHBOUR, (), behind, behind[:1])
    return Topology(roles)


def _signs(switch: str, port: str, count: int = 6, minutes: float = 1) -> loop.LoopSigns:
    macs = frozenset(mac(number) for number in range(count))
    steps = (Step(at(minutes), mac(1), "p1", port), Step(at(minutes + 0.5), mac(1), port, "p1"))
    return loop.LoopSigns(switch=switch, ports=(port,), macs=macs, touched=macs, jumps=steps)


def test_a_loop_is_reported_at_the_switch_that_points_to_no_other_that_shows_it() -> None:
    watch, topology = LoopWatch(THRESHOLDS.loop_window), _chain("a", "b", "c")
    watch.note("a", _signs("a", "r"), at(1.6))
    assert list(watch.due(topology, at(1.6))) == [], "the switches behind it were not read since"
    watch.note("b", _signs("b", "r"), at(1.7))
    watch.note("c", _signs("c", "p9"), at(1.8))
    assert [reported.signs.switch for reported in watch.due(topology, at(1.8))] == ["c"]
    assert list(watch.due(topology, at(2))) == []


def test_a_loop_through_two_switches_that_point_to_each_other_is_reported_once() -> None:
    watch, topology = LoopWatch(THRESHOLDS.loop_window), _chain("a", "b")
    watch.note("a", _signs("a", "r", 9), at(1.6))
    watch.note("b", _signs("b", "l", 6), at(1.7))
    assert [reported.signs.switch for reported in watch.due(topology, at(1.8))] == ["a"]


def test_two_ends_of_a_second_cable_show_one_loop() -> None:
    """Nothing shows that the two are connected."""
    watch = LoopWatch(THRESHOLDS.loop_window)
    watch.note("a", _signs("a", "p23", 9), at(1.6))
    assert [reported.signs.switch for reported in watch.due(Topology({}), at(1.8))] == ["a"]
    watch.note("b", _signs("b", "p24", 7, 1.2), at(1.9))
    (reported,) = watch.due(Topology({}), at(2))
    assert reported.signs.switch == "a"
    assert {("a", "p23"), ("b", "p24")} <= set(reported.ports)


def test_weak_signs_are_part_of_a_loop_that_is_known_and_make_none() -> None:
    watch = LoopWatch(THRESHOLDS.loop_window)
    weak = replace(_signs("b", "p24", 7, 1.2), weak=True)
    watch.note("b", weak, at(1.6))
    assert list(watch.due(Topology({}), at(4))) == []
    watch.note("a", _signs("a", "p23", 9), at(4))
    assert [reported.signs.switch for reported in watch.due(Topology({}), at(4))] == ["a"]
    assert watch.reported
    watch.note("b", weak, at(4.5))
    (reported,) = watch.due(Topology({}), at(4.5))
    assert reported.signs.switch == "a"
    assert ("b", "p24") in reported.ports
    assert reported.last_at == weak.last_at
    assert list(watch.due(Topology({}), at(10))) == []
    assert not watch.reported


def test_a_loop_behind_an_uplink_where_nothing_is_read_is_reported_after_a_while() -> None:
    watch, topology = LoopWatch(THRESHOLDS.loop_window), _chain("a", "b")
    watch.note("a", _signs("a", "r"), at(1.6))
    assert list(watch.due(topology, at(2))) == []
    assert [reported.signs.switch for reported in watch.due(topology, at(3.5))] == ["a"]


# --- conditions of switches and ports ------------------------------------------------------

SOUND = SwitchCondition(
    name="a",
    interval=MINUTE,
    ageing=5 * MINUTE,
    outcome_since=at(0),
    read_at=at(10),
    present=50,
    table_size=100,
)


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        pytest.param(SOUND, [], id="sound"),
        pytest.param(replace(SOUND, present=90), [(FindingKind.TABLE_FILLING, "warning")], id="nearly full"),
        pytest.param(
            replace(SOUND, discards_rose_at=at(9)), [(FindingKind.TABLE_FILLING, "serious")], id="discards"
        ),
        pytest.param(replace(SOUND, discards_rose_at=at(1)), [], id="discards long ago"),
        pytest.param(
            replace(SOUND, interval=timedelta(seconds=301)),
            [(FindingKind.AGEING_TOO_SHORT, "warning")],
            id="read too seldom",
        ),
        pytest.param(
            replace(SOUND, ageing=timedelta(hours=13)),
            [(FindingKind.AGEING_TOO_LONG, "note")],
            id="keeps all",
        ),
        pytest.param(
            replace(SOUND, last_outcome=SwitchHealth.SILENT, error="no answer"),
            [(FindingKind.NOT_READ, "warning")],
            id="silent",
        ),
        pytest.param(replace(SOUND, read_at=at(5)), [(FindingKind.NOT_READ, "warning")], id="late"),
        pytest.param(
            replace(SOUND, enabled=False, last_outcome=SwitchHealth.OFF, interval=timedelta(seconds=301)),
            [],
            id="switched off",
        ),
    ],
)
def test_conditions_of_a_switch(condition: SwitchCondition, expected: list[tuple[FindingKind, str]]) -> None:
    found = (
        switch_not_read.detect(condition, at(10)),
        table_filling.detect(condition, THRESHOLDS, at(10)),
        ageing_too_short.detect(condition, at(10)),
        ageing_too_long.detect(condition, THRESHOLDS, at(10)),
    )
    assert [(one.kind, one.severity.value) for one in found if one is not None] == expected


def test_a_restart_is_reported_with_the_time_the_switch_started() -> None:
    found = switch_restarted.detect(Restarted(at=at(5), switch="a", booted_at=at(4), grace_until=at(9)))
    assert (found.kind, found.subject.switch, found.first_at, found.last_at) == (
        FindingKind.RESTARTED, "a", at(4), at(5),
    )  # fmt: skip


QUIET_PORT = PortActivity(switch="a", port="p1", alias="Kiosk", up_since=at(0), last_seen_at=at(60))
DAY = 24 * 60


@pytest.mark.parametrize(
    ("port", "minutes", "since"),
    [
        pytest.param(QUIET_PORT, DAY + 59, None, id="not yet"),
        pytest.param(QUIET_PORT, DAY + 60, 60, id="a day after the last address"),
        pytest.param(replace(QUIET_PORT, last_seen_at=None), DAY, 0, id="a day after the link came up"),
        pytest.param(replace(QUIET_PORT, up_since=at(99)), DAY + 60, None, id="the link came up later"),
        pytest.param(replace(QUIET_PORT, up_since=None), 9 * DAY, None, id="down"),
        pytest.param(replace(QUIET_PORT, present=1), 9 * DAY, None, id="in use"),
        pytest.param(replace(QUIET_PORT, in_table=0), 9 * DAY, None, id="its switch shows nobody"),
        pytest.param(replace(QUIET_PORT, in_table=9), DAY + 60, 60, id="its switch shows others"),
        pytest.param(replace(QUIET_PORT, port="up"), 9 * DAY, None, id="an uplink"),
        pytest.param(replace(QUIET_PORT, read_since=at(90)), DAY + 60, None, id="readings paused"),
        pytest.param(replace(QUIET_PORT, read_since=at(90)), DAY + 90, 90, id="a day after the pause"),
    ],
)
def test_when_a_port_is_silent(port: PortActivity, minutes: float, since: float | None) -> None:
    found = silent_port.detect(port, UPLINKS, THRESHOLDS, at(minutes))
    assert (None if found is None else found.first_at) == (None if since is None else at(since))
    assert found is None or "Kiosk" in title(found)


def test_a_port_that_a_bridge_announces_itself_at_is_a_link_to_it_and_not_silent() -> None:
    role = PortRole(Role.ACCESS, RoleEvidence.NEIGHBOUR, ("b",), beyond="b")
    assert silent_port.detect(QUIET_PORT, Topology({("a", "p1"): role}), THRESHOLDS, at(9 * DAY)) is None


@pytest.mark.parametrize(
    ("began", "shown", "reported"),
    [(30, DAY, False), (30, 50, True), (70, DAY + 50, True)],
    ids=["a loop pulled it away", "silent for long after the loop", "silent before the loop"],
)
def test_who_falls_silent_in_a_loop_was_pulled_away(began: float, shown: float, reported: bool) -> None:
    found = silent_port.detect(QUIET_PORT, UPLINKS, THRESHOLDS, at(DAY + 61), [(at(began), at(shown))])
    assert (found is not None) is reported


# --- IPs -------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("turns", "conflict"), [([1, 2, 1], True), ([1, 2], False), ([1, 1, 1], False), ([1, 2, 3], False)]
)
def test_an_ip_that_answers_with_addresses_by_turns_is_a_conflict(turns: list[int], conflict: bool) -> None:
    found = ip_conflict.detect("10.0.0.5", [(at(minute), mac(one)) for minute, one in enumerate(turns)])
    assert (found is not None) is conflict
    if found is not None:
        assert (found.subject.ip, len(found.evidence)) == ("10.0.0.5", 3)


def _held(ip: str, hours: float, *names: str) -> HeldIp:
    return HeldIp(ip, "core-1", at(60 * hours), frozenset(names))


FIRST = _held("10.0.0.5", 0, "kiosk-5")


@pytest.mark.parametrize(
    ("hours", "held", "reported"),
    [
        pytest.param(25.9, [FIRST, _held("10.0.0.9", 20, "kiosk-9")], False, id="not for long enough"),
        pytest.param(26, [FIRST, _held("10.0.0.9", 20, "kiosk-9")], True, id="another host"),
        pytest.param(26, [FIRST, _held("10.0.0.9", 20)], True, id="no name"),
        pytest.param(40, [FIRST, _held("10.0.0.9", 20, "kiosk-5")], False, id="the same host"),
        pytest.param(40, [FIRST, _held("10.0.0.9", 0.5)], False, id="set up together"),
        pytest.param(40, [_held(f"10.0.0.{one}", one) for one in range(9)], False, id="a router"),
    ],
)
def test_unrelated_ips_of_one_address(hours: float, held: list[HeldIp], reported: bool) -> None:
    now: datetime = at(60 * hours)
    found = multiple_ips.detect(mac(1), held, THRESHOLDS, now)
    assert (found is not None) is reported
    if found is not None:
        assert (found.first_at, found.last_at) == (at(60 * 20), now)
        assert "10.0.0.5 (kiosk-5)" in title(found) and "10.0.0.9" in title(found)


# --- what each kind says of itself -----------------------------------------------------------


def test_every_kind_is_in_the_registry_with_a_whole_help_page_and_thresholds_that_exist() -> None:
    assert set(KINDS) == set(FindingKind)
    for info in KINDS.values():
        page = info.help
        assert all((page.title, page.why, page.evidence, page.action, page.fewer)), info.kind
        assert all(hasattr(THRESHOLDS, name) for name in info.thresholds), info.kind


def test_a_condition_that_comes_and_goes_is_none() -> None:
    lasting = LastingConditions()
    (short,) = [ageing_too_short.detect(replace(SOUND, ageing=MINUTE / 4), at(0))]
    assert short is not None
    reported = [
        [one.first_at for one in lasting.lasting([short] if so else [], at(minutes), 10 * MINUTE)]
        for minutes, so in ((0, True), (1, False), (2, True), (11, True), (12, True), (13, False))
    ]
    assert reported == [[], [], [], [], [at(2)], []]


@pytest.mark.parametrize(("reported", "judged"), [(None, 5), (5, 5), (0.25, 0.25), (60 * 24 * 11, 60)])
def test_nothing_is_waited_for_longer_than_an_hour(reported: float | None, judged: float) -> None:
    assert judged_ageing(None if reported is None else reported * MINUTE) == judged * MINUTE
