"""What is recorded of uplinks: a row for each change of a cable, and nothing where they are as they were."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Connection, Row, select, update

from kiteroll.store.database import Database
from kiteroll.store.tables import port_uplink
from tests.support.factories import at, mac, reading
from tests.support.live import LiveRun

CHAIN = {"a": {91: "p24", 92: "p24"}, "b": {90: "p23", 92: "p24"}, "c": {90: "p24", 91: "p24"}}
"""Where each learned the bridge addresses of the others, 90 to 92: they are in a row."""


@pytest.fixture
def live(database: Database, tmp_path: Path) -> Iterator[LiveRun]:
    with LiveRun(database, tmp_path / "data", list(CHAIN)) as run:
        for own, (switch, learned) in enumerate(CHAIN.items(), 90):
            one = reading(1, {(number, 1): port for number, port in learned.items()}, switch=switch)
            run.store(replace(one, device=replace(one.device, bridge_address=mac(own))))
        run.parts.tracking.topology.refresh()
        yield run


def _rows(connection: Connection) -> list[Row[Any]]:
    return list(connection.execute(select(port_uplink).order_by(port_uplink.c.id)))


def test_what_an_earlier_version_wrote_out_is_shortened_and_ends_nothing(live: LiveRun) -> None:
    topology, database = live.parts.tracking.topology, live.parts.storage.database
    then = topology.at(at(2)).topology.uplinks()
    assert topology.at(at(2)) is topology.at(at(3)), "worked out once"
    assert then["a", "p24"].leads_to == ("b", "c") and then["c", "p24"].leads_to == ("b", "a")
    before = database.run(_rows)
    followed = [row.id for row in before if row.leads_to is None]
    assert len(before) == 4 and len(followed) == 2

    ports = {row.id: row.port_id for row in before}
    places = {number: place for place, number in topology.now().uplinks.items()}
    with database.engine.begin() as connection:
        for row_id in followed:
            leads_to = [live.ids[name] for name in then[places[ports[row_id]]].leads_to]
            wanted = update(port_uplink).where(port_uplink.c.id == row_id).values(leads_to=leads_to)
            connection.execute(wanted)
    assert topology.at(at(2)).topology.uplinks() == then, "read as it was written then"
    topology.switch_renamed("x", "y")  # all is read anew, as after a start
    topology.refresh()
    assert database.run(_rows) == before
    assert topology.at(at(2)).topology.uplinks() == then
