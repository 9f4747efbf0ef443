"""What is recorded of uplinks: their cables, and what is behind each follows from those."""

from dataclasses import replace
from itertools import pairwise
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.topology.areas import infer_areas
from kiteroll.core.topology.cables import Cable, UplinkRecord, as_recorded, from_records
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts
from kiteroll.core.topology.roles import Topology

Cables = set[tuple[int, int]]


def _facts(cables: Cables, **more: Any) -> TopologyFacts:
    """Each end of a cable is a port that is named after the switch at the other."""
    claims = [
        NeighbourClaim(
            (f"s{one}", f"to-{other}"), f"s{other}", f"s{other}", bridge=True, far_port=f"to-{one}"
        )
        for one, other in sorted(cables | {(other, one) for one, other in cables})
    ]
    names = frozenset(name for claim in claims for name in (claim.port[0], claim.name))
    return replace(TopologyFacts(switches=names, claims=tuple(claims)), **more)


def _unconfirmed(topology: Topology) -> dict[tuple[str, str], object]:
    return {port: replace(role, confirmed=False) for port, role in topology.uplinks().items()}


@st.composite
def _networks(draw: st.DrawFn) -> TopologyFacts:
    size = draw(st.integers(2, 9))
    tree = {(draw(st.integers(0, number - 1)), number) for number in range(1, size)}
    more = draw(st.sets(st.tuples(st.integers(0, size - 1), st.integers(0, size - 1)), max_size=3))
    cables = tree | {(min(pair), max(pair)) for pair in more if pair[0] != pair[1]}
    facts = _facts(cables)
    ports = st.sampled_from([claim.port for claim in facts.claims])
    bundled = draw(st.dictionaries(ports, st.just("bundle"), max_size=2))
    areas = draw(st.dictionaries(st.sampled_from(sorted(facts.switches)), st.just("island"), max_size=3))
    return replace(
        facts, blocked=frozenset(draw(st.sets(ports, max_size=2))), aggregates=bundled, areas=areas
    )


@given(_networks())
def test_roles_come_back_from_what_is_recorded_of_them(facts: TopologyFacts) -> None:
    topology = infer_areas(facts)
    assert from_records(as_recorded(topology)) == _unconfirmed(topology)


def test_a_switch_that_comes_is_recorded_at_its_cable_only() -> None:
    chain = {*pairwise(range(40)), (39, 0)}  # a ring
    before, after = (
        as_recorded(infer_areas(_facts(cables, blocked=frozenset({("s39", "to-0")}))))
        for cables in (chain, chain | {(7, 90)})
    )
    changed = {port for port, record in after.items() if not record.same_way(before.get(port))}
    assert changed == {("s7", "to-90"), ("s90", "to-7")}
    closed = {port for port, record in after.items() if record.cable is Cable.CLOSED}
    assert closed == {("s39", "to-0"), ("s0", "to-39")}


def test_what_does_not_follow_from_cables_is_written_out() -> None:
    topology = infer_areas(_facts({(0, 1)}, seen={("s0", "p9"): frozenset({"s1"})}))
    records = as_recorded(topology)
    assert {port for port, record in records.items() if record.leads_to is not None} == {
        ("s0", "to-1"),
        ("s0", "p9"),
        ("s1", "to-0"),
    }
    assert from_records(records) == _unconfirmed(topology)


def test_cables_to_another_area_lead_no_further() -> None:
    facts = _facts({(0, 1), (1, 2), (2, 3)}, areas={"s2": "island", "s3": "island"})
    records = as_recorded(infer_areas(facts))
    assert records["s1", "to-2"] == UplinkRecord(
        ("s2",), Cable.TO_OTHER_AREA, records["s1", "to-2"].evidence, ("s2",), ("s2",)
    )
    assert from_records(records)["s0", "to-1"].leads_to == ("s1",)
