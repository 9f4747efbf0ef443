"""One cause behind many addresses or places: cables of one server, what carries others, a switch replaced."""

from dataclasses import replace

import pytest

from kiteroll.core.findings.address_view import PortFacts, view_of
from kiteroll.core.findings.classify import classify_address
from kiteroll.core.findings.finding import Cause, Finding, FindingKind
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model import bounds
from kiteroll.core.model.reading import Neighbour, Reading
from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Because, Confidence, choose_home
from kiteroll.core.topology.roles import Topology
from kiteroll.core.topology.sighting import sighting
from kiteroll.wording.finding_titles import title
from tests.support.factories import at, mac, reading

SERVER = 1


def _pair(
    minute: float, one: dict[int, str], other: dict[int, str], chassis: tuple[str, str]
) -> list[Reading]:
    """Two switches that see each other on p24, and a server at p1 of both that may announce itself there."""
    found = []
    for name, far, there, said in (("a", "b", one, chassis[0]), ("b", "a", other, chassis[1])):
        learned = {(number, 10): port for number, port in there.items()}
        neighbours = [Neighbour(port="p24", chassis=far, port_id="p24", name=far, capabilities=("bridge",))]
        if said:
            neighbours.append(Neighbour(port="p1", chassis=said, name="store", capabilities=("station",)))
        taken = reading(minute, learned, switch=name)
        found.append(replace(taken, neighbours=tuple(neighbours)))
    return found


def _reported(readings: list[Reading]) -> tuple[Replay, list[Finding]]:
    replay = Replay()
    for one in readings:
        replay.apply(one)
    replay.advance(at(60))
    return replay, [one for one in replay.findings.values() if one.subject.mac == mac(SERVER)]


BOTH = ({SERVER: "p1", 2: "p2", 3: "p24"}, {SERVER: "p1", 3: "p3", 2: "p24"})
ALONE = (BOTH[0], {3: "p3", 2: "p24", SERVER: "p24"})


@pytest.mark.parametrize(
    ("chassis", "kinds"),
    [
        (("store", "store"), []),
        (("", ""), [FindingKind.DUPLICATE]),
        (("store", "other"), [FindingKind.DUPLICATE]),
        (("store", ""), [FindingKind.DUPLICATE]),
    ],
    ids=["announces itself at both", "announces itself nowhere", "two devices", "at one only"],
)
def test_a_server_on_two_switches_is_one_place_where_it_says_so(
    chassis: tuple[str, str], kinds: list[FindingKind]
) -> None:
    readings = [
        one for minute in range(30) for one in _pair(minute, *(BOTH if minute > 4 else ALONE), chassis)
    ]
    replay, found = _reported(readings)
    assert [one.kind for one in found] == kinds
    home = replay.home_of(mac(SERVER))
    if not kinds:
        assert Because.CONNECTED_TWICE in {reason.because for reason in home.reasons}
        fresh = Replay()
        for one in readings:
            fresh.apply(one)
        assert fresh.home_of(mac(SERVER)).confidence is Confidence.SURE


@pytest.mark.parametrize(
    ("systems", "kinds"),
    [
        (("02:00:00:00:00:01/7", "02:00:00:00:00:01/7"), []),
        (("02:00:00:00:00:01/7", "02:00:00:00:00:01/8"), [FindingKind.DUPLICATE]),
    ],
    ids=["one bundle", "two bundles"],
)
def test_a_server_that_bundles_cables_to_two_switches_is_one_place(
    systems: tuple[str, str], kinds: list[FindingKind]
) -> None:
    """IEEE 802.1AX: the same system with the same key at the far end."""
    readings = []
    for minute in range(30):
        taken = _pair(minute, *(BOTH if minute > 4 else ALONE), ("", ""))
        for one, system in zip(taken, systems, strict=True):
            ports = tuple(replace(port, partner=system) if port.name == "p1" else port for port in one.ports)
            readings.append(replace(one, ports=ports))
    replay, found = _reported(readings)
    assert [one.kind for one in found] == kinds
    assert (replay.home_of(mac(SERVER)).confidence is Confidence.SURE) is not kinds


def test_who_is_at_both_of_a_pair_with_one_table_is_at_one_place() -> None:
    pair = {"a": "core", "b": "core"}
    seen = [
        sighting(
            Stay(
                id=number,
                mac=mac(SERVER),
                place=Place(switch, "p1", 10),
                began_at=at(-60),
                resumed_at=at(-60),
            ),
            Topology({}, pairs=pair),
            read_at=at(0),
        )
        for number, switch in enumerate("ab")
    ]
    view = view_of(mac(SERVER), seen, lambda _: PortFacts(), lambda *_: True, Thresholds(), at(0))
    assert classify_address(view) is None
    assert choose_home(seen, at(0)).confidence is Confidence.SURE


def test_a_switch_that_is_listed_twice_doubles_nobody() -> None:
    """Two entries of the inventory, one bridge address."""
    replay = Replay()
    for minute in range(20):
        learned = {(number, 10): f"p{number}" for number in range(1, 9)}
        for late, name in enumerate(("hall", "hall-again")):
            one = reading(minute + late / 2, learned if minute > 3 else {(1, 10): "p1"}, switch=name)
            replay.apply(replace(one, device=replace(one.device, bridge_address=mac(900))))
    assert replay.findings == {}
    assert replay.home_of(mac(3)).confidence is Confidence.SURE


def test_a_server_that_uses_its_cables_by_turns_does_not_flap() -> None:
    turns = []
    for minute in range(30):
        here, there = ("p1", "p24") if minute // 2 % 2 else ("p24", "p1")
        turns.append(_pair(minute, {2: "p2", SERVER: here}, {SERVER: there}, ("store", "store")))
    assert _reported([one for pair in turns for one in pair])[1] == []


def test_an_access_point_that_is_plugged_in_elsewhere_is_one_finding_with_its_clients_as_parts() -> None:
    clients = range(10, 50)
    readings = []
    for minute in range(20):
        there = "p1" if minute < 10 else "p7"
        readings.append(reading(minute, {(1, 10): "p3"} | {(number, 10): there for number in clients}))
    replay = Replay()
    for one in readings:
        replay.apply(one)
    whole = [one for one in replay.findings.values() if not one.part_of]
    assert [one.kind for one in whole] == [FindingKind.MOVED_TOGETHER]
    assert (whole[0].details.count, whole[0].details.ports) == (40, (("quay-1", "p1"), ("quay-1", "p7")))
    parts = [one for one in replay.findings.values() if one.part_of == whole[0].key]
    assert {one.subject.mac for one in parts} == {mac(number) for number in clients}


def test_some_that_happen_to_move_at_once_are_reported_each() -> None:
    before = {(number, 10): f"p{number}" for number in range(1, 7)}
    after = {(number, 10): f"p{number + 10}" for number in range(1, 7)}
    replay = Replay()
    for minute in range(10):
        replay.apply(reading(minute, before if minute < 5 else after))
    assert [one.kind for one in replay.findings.values()] == [FindingKind.MOVED] * 6


def test_a_switch_whose_ports_have_other_names_is_one_finding_with_the_moves_as_parts() -> None:
    """A stack whose members were numbered anew."""
    names = {True: {f"1/{number}": number for number in range(1, 9)}}
    names[False] = {f"2/{number}": number + 100 for number in range(1, 9)}
    replay = Replay()
    for minute in range(16):
        before = minute < 8
        learned = {(n, 10): f"{1 if before else 2}/{n % 8 + 1}" for n in range(20)}
        replay.apply(
            reading(minute, learned, ports=names[before], uptime_s=None if before else 60 * (minute - 7))
        )
    whole = [one for one in replay.findings.values() if not one.part_of]
    assert [(one.kind, one.cause, one.details.count) for one in whole] == [
        (FindingKind.SWITCH_REPLACED, Cause.PORTS_RENAMED, 8)
    ]
    assert title(whole[0]) == "8 ports of quay-1 have another name"


def test_another_bridge_address_reports_that_the_switch_is_another_device() -> None:
    replay = Replay()
    for minute in range(6):
        one = reading(minute, {(1, 10): "p1"}, uptime_s=None if minute < 3 else 60 * (minute - 2))
        replay.apply(replace(one, device=replace(one.device, bridge_address=mac(900 + (minute >= 3)))))
    whole = [one for one in replay.findings.values() if not one.part_of]
    assert [(one.kind, one.cause) for one in whole] == [(FindingKind.SWITCH_REPLACED, Cause.OTHER_DEVICE)]


@pytest.mark.parametrize("never_ages", [True, False])
def test_a_switch_that_never_forgets_proves_no_duplicate(never_ages: bool) -> None:
    """Case 38: a laptop was carried to another switch, and the first one keeps it for ever."""
    ageing = bounds.AGEING if never_ages else None
    uplink = {"quay-1": "hall", "hall": "quay-1"}
    replay = Replay()
    for minute in range(90):
        for switch, learned in (("quay-1", {(1, 10): "p1"}), ("hall", {(1, 10): "p2"} if minute > 5 else {})):
            one = reading(minute + (switch == "hall") / 2, learned, switch=switch)
            far = Neighbour(port="p24", chassis="", name=uplink[switch], capabilities=("bridge",))
            replay.apply(replace(one, device=replace(one.device, ageing=ageing), neighbours=(far,)))
    reported = {one.kind for one in replay.findings.values()}
    assert (FindingKind.DUPLICATE in reported) is not never_ages
