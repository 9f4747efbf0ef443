"""Which switches count as one network while it is torn."""

from itertools import pairwise

from kiteroll.core.topology.connected import LatelyConnected
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence, Topology
from tests.support.factories import at


def _row(*names: str) -> Topology:
    roles = {
        (here, "up"): PortRole(Role.UPLINK, RoleEvidence.NEIGHBOUR, (), (there,), (there,))
        for here, there in pairwise(names)
    }
    return Topology(roles)


def test_what_was_connected_a_quarter_of_an_hour_ago_is_so_still_and_later_no_more() -> None:
    known = LatelyConnected()
    known.note(_row("a", "b", "c", "d"), at(0))
    known.note(_row("a", "b"), at(10))
    assert known.joined("a", "d") and not known.joined("a", "x")
    known.note(_row("a", "b"), at(16))
    assert known.joined("a", "d"), "kept for one more turn"
    known.note(_row("a", "b"), at(32))
    assert known.joined("a", "b") and not known.joined("a", "d")
