"""One device at several ports: cables of a server, a bundle, and what is no such thing."""

from dataclasses import replace

import pytest

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.reading import Neighbour, Reading
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Because, Confidence
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


def _told(readings: list[Reading]) -> tuple[Replay, list[Finding]]:
    replay = Replay()
    for one in readings:
        replay.apply(one)
    replay.advance(at(60))
    return replay, [one for one in replay.findings.values() if one.subject.mac == mac(SERVER)]


BOTH = ({SERVER: "p1", 2: "p2", 3: "p24"}, {SERVER: "p1", 3: "p3", 2: "p24"})


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
    alone = (BOTH[0], {3: "p3", 2: "p24", SERVER: "p24"})
    readings = [
        one for minute in range(30) for one in _pair(minute, *(BOTH if minute > 4 else alone), chassis)
    ]
    replay, found = _told(readings)
    assert [one.kind for one in found] == kinds
    home = replay.home_of(mac(SERVER))
    if not kinds:
        assert Because.CONNECTED_TWICE in {reason.because for reason in home.reasons}
        fresh = Replay()
        for one in readings:
            fresh.apply(one)
        assert fresh.home_of(mac(SERVER)).confidence is Confidence.SURE


def test_a_server_that_uses_its_cables_by_turns_does_not_flap() -> None:
    turns = []
    for minute in range(30):
        here, there = ("p1", "p24") if minute // 2 % 2 else ("p24", "p1")
        turns.append(_pair(minute, {2: "p2", SERVER: here}, {SERVER: there}, ("store", "store")))
    assert _told([one for pair in turns for one in pair])[1] == []


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


def test_some_that_happen_to_move_at_once_are_told_each() -> None:
    before = {(number, 10): f"p{number}" for number in range(1, 7)}
    after = {(number, 10): f"p{number + 10}" for number in range(1, 7)}
    replay = Replay()
    for minute in range(10):
        replay.apply(reading(minute, before if minute < 5 else after))
    assert [one.kind for one in replay.findings.values()] == [FindingKind.MOVED] * 6
