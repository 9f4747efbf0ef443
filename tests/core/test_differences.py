"""How an address differs between two instants."""

import pytest

from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.tracking.differences import compare
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
    found = compare(mac(1), stays, first_seen, at(10), at(30))
    assert (None if found is None else found.kind.value) == kind
