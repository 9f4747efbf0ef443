"""Areas: the same address in two networks that share no layer 2 is two devices."""

from collections.abc import Mapping
from dataclasses import replace

import pytest

from kiteroll.core.findings.finding import FindingKind, key_of
from kiteroll.core.model.reading import Neighbour, Reading
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.areas import infer_areas
from kiteroll.core.topology.home import Because, Confidence, Home
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts
from kiteroll.core.topology.neighbours import KnownSwitches, SwitchIdentity
from kiteroll.core.topology.path import longest_path
from kiteroll.core.topology.roles import Role
from tests.support.factories import at, mac, reading

APART = {"b": "island"}
CABLE = (
    NeighbourClaim(("a", "p24"), "b", "b", bridge=True, far_port="p24"),
    NeighbourClaim(("b", "p24"), "a", "a", bridge=True, far_port="p24"),
)


def _read(minute: float, switch: str, learned: Mapping[tuple[int, int], str]) -> Reading:
    """Of one of two switches with a cable between their ports p24."""
    far = {"a": "b", "b": "a"}[switch]
    neighbour = Neighbour(port="p24", chassis="", name=far, capabilities=("bridge",), port_id="p24")
    return replace(reading(minute, learned, switch=switch), neighbours=(neighbour,))


def _played(areas: Mapping[str, str], *, jumps: bool = False) -> Replay:
    """mac(1) is at p1 of a, and soon at p1 of b as well; with `jumps`, it goes to and fro there."""
    replay = Replay(areas=areas)
    for minute in range(20):
        port = "p2" if jumps and minute % 2 else "p1"
        came = {(1, 10): port} if minute > 3 else {}
        replay.apply(_read(minute, "a", {(1, 10): "p1", (2, 10): "p2"}))
        replay.apply(_read(minute + 0.5, "b", {(3, 10): "p3"} | came))
    return replay


def test_at_two_places_of_one_area_it_is_doubled() -> None:
    replay = _played({})
    assert {one.kind for one in replay.findings.values()} == {FindingKind.DUPLICATE}
    home = replay.home_of(mac(1))
    assert home.confidence is Confidence.DOUBTFUL and home.elsewhere == ()


def test_in_two_areas_it_has_two_homes_and_nothing_is_reported() -> None:
    replay = _played(APART)
    assert replay.findings == {}
    home = replay.home_of(mac(1))
    (other,) = home.elsewhere
    assert home.at is not None and other.at is not None
    assert {home.at.port, other.at.port} == {("a", "p1"), ("b", "p1")}
    assert home.confidence is other.confidence is Confidence.SURE
    because = [(one.because, one.place, one.names) for one in home.reasons]
    assert because == [(Because.OTHER_AREA, other.at.stay.place, (other.at.area,))]
    assert replay.home_of(mac(2)).elsewhere == ()


def test_who_was_carried_to_another_area_is_no_second_device() -> None:
    replay = Replay(areas=APART)
    for minute in range(6):
        replay.apply(_read(minute, "a", {(1, 10): "p1"} if minute < 3 else {}))
        replay.apply(_read(minute + 0.5, "b", {(1, 10): "p2"} if minute >= 3 else {}))
    home = replay.home_of(mac(1))
    assert home.at is not None and home.at.port == ("b", "p2") and home.elsewhere == ()
    assert Because.QUIET_ELSEWHERE in {one.because for one in home.reasons}
    assert replay.findings == {}


def test_what_it_does_in_one_area_is_reported_of_that_one_alone() -> None:
    replay = _played(APART, jumps=True)
    assert {one.subject.area for one in replay.findings.values()} == {"island"}
    reported = [one for one in replay.findings.values() if one.kind is not FindingKind.MOVED]
    assert [one.kind for one in reported] == [FindingKind.DUPLICATE], (
        "it goes to and fro between steady ports"
    )
    assert reported[0].ports == {("b", "p1"), ("b", "p2")}
    assert reported[0].key == key_of(reported[0].kind, reported[0].subject) and reported[0].key.endswith(
        "|island"
    )
    homes = {one.at.port[0]: one for one in _homes(replay) if one.at is not None}
    assert homes["a"].confidence is Confidence.SURE, "nothing is contested there"
    assert homes["b"].confidence is Confidence.DOUBTFUL


def _homes(replay: Replay) -> tuple[Home, ...]:
    home = replay.home_of(mac(1))
    return (home, *home.elsewhere)


@pytest.mark.parametrize(("start", "ends_at"), [("a", ("a", "p1")), ("b", ("b", "p1"))])
def test_a_path_ends_in_the_area_it_begins_in(start: str, ends_at: tuple[str, str]) -> None:
    replay = _played(APART)
    seen = replay.facts.sightings([mac(1)], at(0))[mac(1)]
    hops = longest_path(seen, start, replay.facts.topology(fresh=True))
    assert [(hop.switch, hop.port) for hop in hops] == [ends_at]


def test_a_cable_between_two_areas_is_an_uplink_that_joins_nothing() -> None:
    topology = infer_areas(
        TopologyFacts(switches=frozenset("abc"), claims=CABLE, areas=APART | {"c": "island"})
    )
    assert topology.role(("a", "p24")).leads_to == ("b",)
    assert topology.role(("a", "p24")).confirmed
    assert not topology.joined("a", "b")
    one_area = infer_areas(TopologyFacts(switches=frozenset("abc"), claims=CABLE))
    assert one_area.joined("a", "b")


def test_the_word_of_an_operator_outweighs_such_a_cable() -> None:
    facts = TopologyFacts(
        switches=frozenset("ab"), claims=CABLE, areas=APART, by_operator={("a", "p24"): Role.ACCESS}
    )
    assert not infer_areas(facts).is_uplink(("a", "p24"))
    assert infer_areas(facts).is_uplink(("b", "p24"))


def test_addresses_of_switches_elsewhere_make_no_uplink() -> None:
    """A bridge address that was used twice, or a router that carries it, is seen in another area."""
    facts = TopologyFacts(switches=frozenset("ab"), seen={("a", "p3"): frozenset("b")})
    assert infer_areas(facts).is_uplink(("a", "p3"))
    assert not infer_areas(replace(facts, areas=APART)).is_uplink(("a", "p3"))


def test_what_is_built_alike_is_told_apart_by_its_area() -> None:
    """Two ships, with switches of the same names and private addresses."""
    ships = [
        SwitchIdentity(name=f"{ship}-{name}", host=host, sys_name=name, bridge_address=mac(at), area=ship)
        for ship, first in (("heron", 10), ("osprey", 20))
        for at, (name, host) in enumerate((("bridge", "10.0.0.1"), ("galley", "10.0.0.2")), first)
    ]
    known = KnownSwitches(ships)
    assert known.match(None, (), "galley", "heron") == "heron-galley"
    assert known.match(None, ("10.0.0.2",), "", "osprey") == "osprey-galley"
    assert known.match(mac(20), (), "bridge", "heron") == "osprey-bridge", "its chassis is its own"
    assert known.match(None, ("10.0.0.2",), "galley", "") is None
