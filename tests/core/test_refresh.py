"""How often the topology is inferred: not twice from the same facts, and at once when it must."""

from datetime import timedelta

from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts
from kiteroll.core.topology.refresh import FACTS_MAX_AGE, TABLES_MAX_AGE, TopologyRefresh
from tests.support.factories import NOON

CLAIM = NeighbourClaim(("a", "up"), "b", "b", bridge=True)
SECOND = timedelta(seconds=1)


class Network:
    def __init__(self) -> None:
        self.claims: tuple[NeighbourClaim, ...] = ()
        self.tables = {"a": MacTable({1: 1, 2: 1}, {1: "p1"})}
        self.asked: list[str] = []

    def facts(self) -> TopologyFacts:
        self.asked.append("facts")
        return TopologyFacts(switches=frozenset("ab"), claims=self.claims)

    def read_tables(self) -> dict[str, MacTable]:
        self.asked.append("tables")
        return self.tables


def test_facts_are_read_every_few_seconds_and_tables_more_seldom() -> None:
    network, refresh = Network(), TopologyRefresh()
    assert refresh.never_done and refresh.refresh(NOON, network.facts, network.read_tables)
    assert refresh.snapshot.address_count(("a", "p1")) == 2
    assert not refresh.refresh(NOON + SECOND, network.facts, network.read_tables)
    assert network.asked == ["facts", "tables"]
    assert not refresh.refresh(NOON + FACTS_MAX_AGE + SECOND, network.facts, network.read_tables)
    assert network.asked == ["facts", "tables", "facts"], "the same facts, the same picture"
    assert refresh.refresh(NOON + TABLES_MAX_AGE + SECOND, network.facts, network.read_tables)
    assert network.asked[-2:] == ["facts", "tables"]


def test_new_facts_make_a_new_picture_and_force_needs_no_age() -> None:
    network, refresh = Network(), TopologyRefresh()
    refresh.refresh(NOON, network.facts, network.read_tables)
    assert not refresh.snapshot.topology.is_uplink(("a", "up"))
    network.claims = (CLAIM,)
    assert refresh.refresh(NOON + SECOND, network.facts, network.read_tables, force=True)
    assert refresh.snapshot.topology.is_uplink(("a", "up"))
    network.claims = ()
    assert refresh.refresh(NOON + SECOND + 2 * FACTS_MAX_AGE, network.facts, network.read_tables)
    assert not refresh.snapshot.topology.is_uplink(("a", "up"))
