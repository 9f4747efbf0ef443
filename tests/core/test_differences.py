"""How an address differs between two instants."""

import pytest

from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.core.tracking.differences import compare, covers
from tests.support.factories import at, mac

DESK, GATE = Place("quay-1", "p1", 10), Place("gate-2", "p7", 10)
VOICE = Place("quay-1", "p1", 40)


def _stay(place: Place, began: float, ended: float | None = None) -> Stay:
    return Stay(
        id=int(began) + 1,
        mac=mac(1),
        place=place,
        began_at=at(began),
        resumed_at=at(began),
        ended_at=None if ended is None else at(ended),
    )


@pytest.mark.parametrize(
    ("stays", "kind"),
    [
        ([_stay(DESK, 20)], "appeared"),
        ([_stay(DESK, 0, 5), _stay(DESK, 20)], "came back"),
        ([_stay(DESK, 0, 20)], "gone"),
        ([_stay(DESK, 0, 20), _stay(GATE, 20)], "moved"),
        ([_stay(DESK, 0), _stay(GATE, 20)], "at more places"),
        ([_stay(DESK, 0), _stay(VOICE, 20)], "at more places"),
        ([_stay(DESK, 0), _stay(VOICE, 0, 20)], "at fewer places"),
        ([_stay(DESK, 0, 20), _stay(VOICE, 0), _stay(GATE, 20)], "moved"),
        ([_stay(DESK, 0, 20), _stay(DESK, 25)], None),
    ],
)
def test_what_differs_between_two_instants(stays: list[Stay], kind: str | None) -> None:
    first_seen = min(one.began_at for one in stays)
    found = compare(mac(1), stays, first_seen, at(10), at(30), covers)
    assert (None if found is None else found.kind.value) == kind


@pytest.mark.parametrize(
    ("stays", "uplink", "kind"),
    [
        ([_stay(GATE, 0, 20), _stay(DESK, 20)], (0, 20), "came back"),
        ([_stay(GATE, 0), _stay(DESK, 0, 20)], (0, None), "gone"),
        ([_stay(GATE, 0), _stay(DESK, 0)], (20, None), "at fewer places"),
        ([_stay(GATE, 0), _stay(DESK, 25)], (20, None), "moved"),
        ([_stay(GATE, 0)], (20, None), None),
        ([_stay(GATE, 0)], (0, 20), None),
    ],
)
def test_a_place_counts_where_its_port_was_no_uplink_then(
    stays: list[Stay], uplink: tuple[float, float | None], kind: str | None
) -> None:
    """The gate is an uplink in these minutes."""
    began, ended = uplink
    roles = PastRoles({("gate-2", "p7"): [(at(began), None if ended is None else at(ended))]})
    found = compare(mac(1), stays, at(0), at(10), at(30), roles.was_access_at)
    assert (None if found is None else found.kind.value) == kind
