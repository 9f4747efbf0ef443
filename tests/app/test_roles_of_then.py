"""What is said of the past goes by what ports were then: where a cable between switches was pulled over to
another port, nobody came or went."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import pytest

from kiteroll.app.queries.history import ChangeFilter
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.reading import Oper, Reading
from kiteroll.core.model.stay import Life, Place
from kiteroll.core.tracking.differences import Difference
from kiteroll.store.database import Database
from tests.support.factories import at, mac, reading
from tests.support.live import LiveRun

PULLED_OVER = 5
"""The minute in which the cable goes from p24 of `east` to p23; p24 is a desk's then."""


@pytest.fixture
def live(database: Database, tmp_path: Path) -> Iterator[LiveRun]:
    with LiveRun(database, tmp_path / "data", ["east", "west"]) as run:
        for minute in range(12):
            _minute(run, minute)
        yield run


def _minute(live: LiveRun, minute: int, beyond: Sequence[int] = (4, 5, 6)) -> None:
    before = minute < PULLED_OVER
    uplink = "p24" if before else "p23"
    east = {(1, 10): "p1", (91, 1): uplink, **{(number, 10): uplink for number in beyond}}
    east |= {} if before else {(7, 10): "p24"}
    west = {(90, 1): "p24", **{(number, 10): f"p{number}" for number in beyond}}
    for own, switch, learned in ((90, "east", east), (91, "west", west)):
        one = reading(minute + (0.1 if switch == "west" else 0), learned, switch=switch)
        live.store(_with_link(replace(one, device=replace(one.device, bridge_address=mac(own))), minute))
    live.evaluate(at(minute + 0.2))
    live.parts.tracking.topology.refresh()


def _with_link(one: Reading, minute: int) -> Reading:
    down = {"p23"} if minute < PULLED_OVER else set()
    ports = tuple(replace(port, oper=Oper.DOWN) if port.name in down else port for port in one.ports)
    return replace(one, ports=ports)


def _compared(live: LiveRun, begin: float, end: float | None) -> list[Difference]:
    until = None if end is None else at(end)
    page = live.parts.queries.differences.page(at(begin), until, None, None, PageAsk(limit=50))
    return list(page.items)


@pytest.mark.parametrize("end", [8, None])
def test_who_is_beyond_a_cable_that_went_to_another_port_differs_in_nothing(
    live: LiveRun, end: float | None
) -> None:
    (found,) = _compared(live, 3, end)
    assert (found.mac, found.kind.value, found.after[0].port) == (mac(7), "appeared", "p24")


def test_changes_are_of_ports_that_were_no_uplinks_then(live: LiveRun) -> None:
    wanted = ChangeFilter(since=at(1), uplinks=False)
    found = live.parts.queries.history.changes(wanted, PageAsk(limit=50)).items
    assert {one.mac for one in found} == {mac(7)}
    everything = live.parts.queries.history.changes(replace(wanted, uplinks=True), PageAsk(limit=50)).items
    assert {one.mac for one in everything} >= {mac(4), mac(5), mac(6)}


def test_who_is_gone_was_at_its_own_port_and_not_at_one_on_the_way(live: LiveRun) -> None:
    """The way to it was learned anew when the cable went to another port."""
    for minute in range(12, 60, 3):
        _minute(live, minute, beyond=(4, 6))
    (gone,) = live.parts.queries.endpoints.known([mac(5)])
    (place,) = gone.places
    assert place.row.life is Life.GONE and place.row.stay.place == Place("west", "p5", 10)
