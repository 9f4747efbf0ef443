"""Networks that look odd and are not: what is said of them, and what is not."""

from dataclasses import replace

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.reading import Neighbour, Reading
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Confidence
from kiteroll.core.topology.path import path_to
from tests.support.factories import at, mac, reading, rule_book

ROUTER = 900


def _whole(replay: Replay) -> list[Finding]:
    return [one for one in replay.findings.values() if not one.part_of]


def _seeing(taken: Reading, **neighbours: str) -> Reading:
    """With LLDP neighbours: our port to their name."""
    reported = (
        Neighbour(port=port, chassis="", name=far, capabilities=("bridge",))
        for port, far in neighbours.items()
    )
    return replace(taken, neighbours=tuple(reported))


def test_first_readings_that_are_far_apart_make_no_uplink_overfull() -> None:
    """Case 42: every port has a seat, and where an uplink leads is known when the other switch was read."""
    rules = rule_book(groups={"all": Rule(seats=2)}, in_groups={"a": ("all",), "b": ("all",)})
    replay = Replay(rules=rules)
    here, there = {(n, 10): f"p{n}" for n in range(1, 6)}, {(n + 10, 10): f"p{n}" for n in range(1, 6)}
    for minute in range(10):
        far = dict.fromkeys(there, "p24")
        replay.apply(_seeing(reading(minute, here | far, switch="a"), p24="b"))
        if minute:
            near = dict.fromkeys(here, "p24")
            replay.apply(_seeing(reading(minute + 0.7, there | near, switch="b"), p24="a"))
    assert _whole(replay) == []


def test_an_address_that_jumps_in_a_shared_database_flaps_whatever_the_vlan_of_the_port() -> None:
    """Case 14: with shared VLAN learning (IEEE 802.1Q 8.8.1) no VLAN is reported."""
    replay = Replay()
    for minute in range(12):
        taken = reading(minute, {(2, 10): "p9"})
        port = next(one.number for one in taken.ports if one.name == ("p1" if minute % 2 else "p2"))
        replay.apply(replace(taken, learned={**taken.learned, int(mac(1)): port}))
    reported = {one.kind for one in _whole(replay) if one.subject.mac == mac(1)}
    assert reported & {FindingKind.FLAPPING, FindingKind.DUPLICATE}


def test_one_router_in_two_networks_makes_no_uplink_of_its_ports() -> None:
    """Case 39: its addresses are seen in two networks that nothing else connects."""
    replay = Replay()
    for minute in range(15):
        for late, name in enumerate(("a", "b")):
            own = {(10 * late + n, 10): f"p{n}" for n in range(1, 6)}
            router = {(ROUTER + n, 10): "p20" for n in range(4)}
            replay.apply(reading(minute + late / 2, own | router, switch=name))
    assert _whole(replay) == []
    assert not replay.facts.topology(fresh=True).uplinks()


def test_the_path_goes_by_the_data_ports_and_not_by_those_for_management() -> None:
    """Case 23: a management switch speaks LLDP on ports that are no part of the bridges."""
    replay = Replay()
    for minute in range(8):
        for late, (name, learned, neighbours) in enumerate(
            (
                ("a", {(1, 10): "p1"}, {"p24": "b", "p23": "mgmt"}),
                ("b", {(1, 10): "p24"}, {"p24": "a", "p23": "mgmt"}),
                ("mgmt", {}, {"p1": "a", "p2": "b"}),
            )
        ):
            taken = _seeing(reading(minute + late / 4, learned, switch=name), **neighbours)
            ports = tuple(replace(one, bridged=one.name != "p23") for one in taken.ports)
            replay.apply(replace(taken, ports=ports))
    home = replay.home_of(mac(1)).at
    assert home is not None
    sightings = replay.facts.sightings([mac(1)], at(0))[mac(1)]
    hops = path_to(home, sightings, "b", replay.facts.topology(fresh=True))
    assert [(hop.switch, hop.port) for hop in hops] == [("b", "p24"), ("a", "p1")]


def test_a_computer_at_a_port_that_used_to_be_an_uplink_is_at_home_there_with_the_next_reading() -> None:
    """Case 25: the cable to the other switch is at another port now."""
    replay = Replay()
    for minute in range(16):
        old = minute < 8
        learned = {(1, 10): "p1", (2, 10): "p24" if old else "p23"} | ({} if old else {(3, 10): "p24"})
        replay.apply(_seeing(reading(minute, learned, switch="a"), **{"p24" if old else "p23": "b"}))
        far = {(2, 10): "p2", (1, 10): "p24"} | ({} if old else {(3, 10): "p24"})
        replay.apply(_seeing(reading(minute + 0.5, far, switch="b"), p24="a"))
    home = replay.home_of(mac(3))
    assert home.at is not None and home.at.port == ("a", "p24")
    assert home.confidence is Confidence.SURE
    assert {one.kind for one in _whole(replay)} <= {FindingKind.TOPOLOGY_CHANGE}
