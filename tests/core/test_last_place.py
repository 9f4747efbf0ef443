"""Where an endpoint that is gone was last."""

import pytest

from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.last_place import last_place
from kiteroll.core.topology.past_roles import PastRoles
from tests.support.factories import at, mac

ROLES = PastRoles({("core", "p1"): [(at(0), None)], ("core", "p2"): [(at(0), None)]})


def _stay(number: int, switch: str, port: str, began: float, ended: float) -> Stay:
    return Stay(
        id=number,
        mac=mac(1),
        place=Place(switch, port, 10),
        began_at=at(began),
        resumed_at=at(began),
        last_seen_at=at(ended - 1),
        ended_at=at(ended),
    )


HOME, BEFORE = _stay(1, "quay-1", "p7", 0, 60), _stay(2, "quay-2", "p1", 0, 20)
WAY, ANEW, LATER = (
    _stay(3, "core", "p1", 1, 40),
    _stay(4, "core", "p2", 40, 65),
    _stay(5, "core", "p2", 90, 120),
)


@pytest.mark.parametrize(
    ("stays", "expected"),
    [
        ([HOME, WAY, ANEW], HOME),
        ([BEFORE, HOME, ANEW], HOME),
        ([BEFORE, HOME], HOME),
        ([WAY, ANEW], ANEW),
        ([HOME, WAY, ANEW, LATER], LATER),
    ],
)
def test_the_last_place_is_at_an_access_port_where_it_was_at_one_then(
    stays: list[Stay], expected: Stay
) -> None:
    assert last_place(stays, ROLES) == expected == last_place(stays[::-1], ROLES)
