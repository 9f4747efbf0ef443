"""Which ports lead where: by operator, by neighbours, by addresses of switches, by tables alone."""

from dataclasses import replace

import pytest

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import key_of
from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.home import Because, choose_home
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts, infer
from kiteroll.core.topology.link_state import LinkState, link_state
from kiteroll.core.topology.neighbours import KnownSwitches, SwitchIdentity, is_switch, shut_ports
from kiteroll.core.topology.path import path_to
from kiteroll.core.topology.roles import Role, RoleEvidence, Topology
from kiteroll.core.topology.sighting import sighting
from kiteroll.wording.topology import hop_text
from tests.support.factories import at, mac

ALL = frozenset({"a", "b", "c"})


def line(*ends: tuple[str, str, str]) -> tuple[NeighbourClaim, ...]:
    return tuple(NeighbourClaim((switch, port), other, other, bridge=True) for switch, port, other in ends)


# a - b - c, reported from both ends of each cable
CABLES = line(("a", "up", "b"), ("b", "down", "a"), ("b", "up", "c"), ("c", "down", "b"))


def adjacent(topology: Topology) -> dict[PortRef, tuple[str, ...]]:
    return {at: role.adjacent for at, role in topology.roles().items()}


def test_neighbours_lead_on_to_what_is_behind_them() -> None:
    topology = infer(TopologyFacts(switches=ALL, claims=CABLES))
    assert topology.role(("a", "up")).leads_to == ("b", "c"), "the next one first"
    assert adjacent(topology) == {
        ("a", "up"): ("b",),
        ("b", "down"): ("a",),
        ("b", "up"): ("c",),
        ("c", "down"): ("b",),
    }
    assert topology.links() == [(("a", "up"), ("b", "down")), (("b", "up"), ("c", "down"))]


def test_addresses_of_switches_report_the_same_without_neighbours() -> None:
    seen = {
        ("a", "up"): frozenset({"b", "c"}),
        ("b", "down"): frozenset({"a"}),
        ("b", "up"): frozenset({"c"}),
        ("c", "down"): frozenset({"a", "b"}),
    }
    topology = infer(TopologyFacts(switches=ALL, seen=seen))
    assert adjacent(topology)["a", "up"] == ("b",)
    assert adjacent(topology)["c", "down"] == ("b",)
    assert topology.role(("a", "up")).evidence is RoleEvidence.SWITCH_ADDRESS


@pytest.mark.parametrize(("read_before", "is_uplink"), [(0, True), (20, False)])
def test_a_cable_announced_at_one_end_is_there_at_the_other(read_before: int, is_uplink: bool) -> None:
    """The agent of b has no neighbours for a while; what a says of their cable holds, unless it is old."""
    claim = NeighbourClaim(("a", "up"), "b", "b", bridge=True, far_port="down")
    tables = {
        "a": MacTable({1: 1}, {1: "up"}, {}, at(30 - read_before)),
        "b": MacTable({1: 1}, {1: "down"}, {}, at(30)),
    }
    topology = infer(TopologyFacts(switches=ALL, claims=(claim,), tables=tables))
    assert topology.is_uplink(("b", "down")) is is_uplink


def test_who_was_there_while_a_port_was_an_uplink_is_not_at_home_there_at_once() -> None:
    topology = Topology({}).remembering({("a", "up"): at(10)}, {})
    stay = Stay(id=1, mac=mac(1), place=Place("a", "up", 10), began_at=at(0), resumed_at=at(0))
    assert sighting(stay, topology, read_at=at(10.5)).uplink
    assert not sighting(stay, topology, read_at=at(11)).uplink


@pytest.mark.parametrize(("read", "passing"), [(0.5, True), (1, False)])
def test_who_comes_to_a_port_that_used_to_be_an_uplink_may_be_passing_by(read: float, passing: bool) -> None:
    """Its neighbour announces itself again within half a minute."""
    topology = Topology({}).remembering({("a", "up"): at(-10)}, {})
    stay = Stay(id=1, mac=mac(1), place=Place("a", "up", 10), began_at=at(0), resumed_at=at(0))
    assert sighting(stay, topology, read_at=at(read)).uplink is passing


def test_a_switch_that_announces_nothing_breaks_no_path() -> None:
    """a - b - c - d, where only c and d speak LLDP."""
    seen = {
        ("a", "up"): frozenset({"b"}),
        ("b", "down"): frozenset({"a"}),
        ("b", "up"): frozenset({"c"}),
        ("c", "down"): frozenset({"a", "b"}),
    }
    claims = line(("c", "up", "d"), ("d", "down", "c"))
    topology = infer(TopologyFacts(switches=frozenset("abcd"), seen=seen, claims=claims))
    assert {one: topology.port_towards(one, "a") for one in "bcd"} == {"b": "down", "c": "down", "d": "down"}
    assert {one: topology.port_towards(one, "d") for one in "bc"} == {"b": "up", "c": "up"}
    assert adjacent(topology)["d", "down"] == ("c",)


@pytest.mark.parametrize(
    ("announced", "known"),
    [
        ("core-1", "core-1"),
        ("CORE-1.tarn.example", "core-1"),
        ("quay-1", None),
        ("", None),
        ("core", None),
        ("10.0.0.9", None),
    ],
)
def test_a_neighbour_is_known_by_its_name_with_its_domain_or_without(
    announced: str, known: str | None
) -> None:
    switches = KnownSwitches(
        (
            SwitchIdentity(name="core-1", sys_name="core-1.tarn.example"),
            SwitchIdentity(name="quay-1.north"),
            SwitchIdentity(name="quay-1.south"),
            SwitchIdentity(name="10.0.0.8"),
        )
    )
    assert switches.match(None, (), announced) == known


def test_switches_joined_by_something_that_is_not_read_are_all_adjacent() -> None:
    seen = {(one, "up"): ALL - {one} for one in ALL}
    topology = infer(TopologyFacts(switches=ALL, seen=seen))
    assert adjacent(topology)["a", "up"] == ("b", "c")


def test_tables_alone_show_what_is_behind_a_port() -> None:
    """Hosts 1-3 on ports of a, 4-6 on ports of b; each sees the other's on its uplink."""
    names = {1: "p1", 2: "p2", 3: "p3", 9: "up"}
    a = MacTable({1: 1, 2: 2, 3: 3, 4: 9, 5: 9, 6: 9}, names)
    b = MacTable({1: 9, 2: 9, 3: 9, 4: 1, 5: 2, 6: 3}, names)
    topology = infer(TopologyFacts(switches=frozenset("ab"), tables={"a": a, "b": b}))
    assert {at: role.leads_to for at, role in topology.roles().items()} == {
        ("a", "up"): ("b",),
        ("b", "up"): ("a",),
    }
    assert topology.role(("a", "up")).evidence is RoleEvidence.SEPARATED


def test_a_count_alone_makes_no_uplink() -> None:
    names = {1: "p1", 9: "up"}
    a = MacTable(dict.fromkeys(range(40), 1), names)
    b = MacTable(dict.fromkeys(range(40), 9), names)
    roles = infer(TopologyFacts(switches=frozenset("ab"), tables={"a": a, "b": b})).roles()
    assert ("a", "p1") not in roles, "forty addresses behind a small switch that is nobody's"


NAMES = {1: "p1", 2: "p2", 3: "p3", 9: "up"}


def _two_tables(vlan: int = 0, there: int = 0) -> dict[str, MacTable]:
    """As above; the addresses of b's table may be in another VLAN, or in none that it reports."""
    a = {key_of(host, vlan): port for host, port in {1: 1, 2: 2, 3: 3, 4: 9, 5: 9, 6: 9}.items()}
    b = {key_of(host, there): port for host, port in {1: 9, 2: 9, 3: 9, 4: 1, 5: 2, 6: 3}.items()}
    return {"a": MacTable(a, NAMES, {}, at(1)), "b": MacTable(b, NAMES, {}, at(1))}


def _uplinks(tables: dict[str, MacTable], shared: frozenset[str] = frozenset()) -> set[PortRef]:
    facts = TopologyFacts(switches=frozenset("ab"), tables=tables, shared=shared)
    return set(infer(facts).uplinks())


def test_addresses_are_compared_even_where_one_switch_reports_no_vlan() -> None:
    assert _uplinks(_two_tables(10, 0)) == _uplinks(_two_tables(10, 20)) == {("a", "up"), ("b", "up")}


def test_who_has_just_come_proves_nothing_until_the_other_switch_is_read_again() -> None:
    """Three clients roam from b's ports to one of a's, and b still has them: that makes no uplink of it."""
    tables = _two_tables()
    learned = {4: at(1.5), 5: at(1.5), 6: at(1.5)}
    tables["a"] = MacTable(tables["a"].learned, NAMES, learned, at(1.5))
    assert ("a", "up") not in _uplinks(tables)
    tables["b"] = MacTable(tables["b"].learned, NAMES, {}, at(2))
    assert _uplinks(tables) == {("a", "up"), ("b", "up")}


def test_addresses_shared_by_design_prove_nothing() -> None:
    assert _uplinks(_two_tables(), frozenset({"0000"})) == set()


def test_what_the_operator_sets_wins() -> None:
    chosen = {("a", "up"): Role.ACCESS, ("c", "spare"): Role.UPLINK}
    topology = infer(TopologyFacts(switches=ALL, claims=CABLES, by_operator=chosen))
    assert topology.role(("a", "up")).role is Role.ACCESS
    assert topology.role(("a", "up")).leads_to == ()
    assert topology.role(("c", "spare")).role is Role.UPLINK
    assert topology.role(("c", "spare")).evidence is RoleEvidence.OPERATOR


def test_a_bundle_leads_where_its_cables_lead_and_shut_ports_lead_nowhere() -> None:
    claims = (*CABLES, *line(("a", "spare", "c"), ("c", "spare", "a")))
    facts = TopologyFacts(
        switches=ALL,
        claims=claims,
        aggregates={("a", "up"): "bundle"},
        blocked=frozenset({("a", "spare"), ("c", "spare")}),
    )
    topology = infer(facts)
    assert topology.role(("a", "bundle")).leads_to == ("b", "c")
    assert topology.port_towards("a", "c") == "spare" or topology.port_towards("a", "c") == "bundle"


def test_a_bridge_that_is_not_in_the_inventory_is_reported_at_its_port() -> None:
    claims = (
        NeighbourClaim(("a", "p5"), None, "small-box", bridge=True),
        NeighbourClaim(("a", "p6"), None, "phone", bridge=False),
    )
    topology = infer(TopologyFacts(switches=frozenset("a"), claims=claims))
    assert topology.role(("a", "p5")).beyond == "small-box"
    assert topology.role(("a", "p5")).role is Role.ACCESS
    assert topology.role(("a", "p6")).beyond == ""


@pytest.mark.parametrize("start", ["a", "b", "c"])
def test_the_path_goes_hop_by_hop_to_the_access_port(start: str) -> None:
    topology = infer(TopologyFacts(switches=ALL, claims=CABLES))
    places = {"a": "up", "b": "up", "c": "p4"}
    sightings = [
        sighting(
            Stay(
                id=number,
                mac=mac(1),
                place=Place(name, port, 10),
                began_at=at(0),
                resumed_at=at(0),
            ),
            topology,
        )
        for number, (name, port) in enumerate(places.items())
        if name != "b"
    ]
    home = choose_home(sightings).at
    assert home is not None
    hops = path_to(home, sightings, start, topology)
    assert [(hop.switch, hop.port) for hop in hops] == list(places.items())["abc".index(start) :]
    assert {hop.switch: hop.learned for hop in hops}.get("b") in (None, False), "b has not learned it"
    assert hop_text(hops[-1]).startswith("access port, 1 address")
    assert path_to(home, sightings, "elsewhere", topology) == []


def test_a_path_that_ends_at_an_uplink_says_who_has_not_learned_the_address() -> None:
    topology = infer(TopologyFacts(switches=ALL, claims=CABLES))
    place = Place("b", topology.port_towards("b", "c") or "", 10)
    alone = Stay(id=1, mac=mac(1), place=place, began_at=at(0), resumed_at=at(0))
    sightings = [sighting(alone, topology)]
    home = choose_home(sightings)
    assert home.at is not None and home.reasons[0].because is Because.BEYOND_UPLINK
    (last,) = path_to(home.at, sightings, "b", topology)
    assert hop_text(last) == "uplink, 1 address: not in the table of c behind it"
    nowhere = replace(last, role=replace(last.role, leads_to=()))
    assert hop_text(nowhere) == "uplink, 1 address: what is behind it is not known"


@pytest.mark.parametrize(
    ("capabilities", "expected"),
    [
        (("bridge",), True),
        (("bridge", "router"), True),
        (("bridge", "phone"), False),
        (("bridge", "access point"), False),
        (("station",), False),
        ((), False),
    ],
)
def test_an_end_device_that_bridges_as_well_is_no_switch(
    capabilities: tuple[str, ...], expected: bool
) -> None:
    assert is_switch(capabilities) is expected


def test_disabled_shuts_a_port_only_where_spanning_tree_is_on() -> None:
    states = [(("a", "p1"), "disabled"), (("b", "p1"), "disabled"), (("b", "p2"), "blocking")]
    assert shut_ports(states, {"a"}) == {("a", "p1"), ("b", "p2")}


def test_one_end_that_is_down_or_blocked_is_enough_for_a_link() -> None:
    here, there = ("core-1", "p1"), ("quay-1", "p24")
    up = {here: "up", there: "up"}
    assert link_state([here, there], up, frozenset()) is LinkState.CARRYING
    assert link_state([here, there], up, {there}) is LinkState.BLOCKED
    assert link_state([here, there], {here: "up", there: "down"}, {here}) is LinkState.DOWN
    assert link_state([here], {}, frozenset()) is LinkState.CARRYING  # nothing is reported
