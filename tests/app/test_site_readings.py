"""Readings of sites that come after their switch was turned off, moved, removed or renamed here."""

import asyncio
from dataclasses import replace
from datetime import datetime, timedelta
from types import SimpleNamespace
from typing import Any, cast

import pytest
from sqlalchemy import Connection, select

from kiteroll.app.ingest import import_result
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.workers.site_readings import SiteReadings
from kiteroll.bus import names
from kiteroll.bus.centre import Message
from kiteroll.bus.messages import Sent, encode, read_of
from kiteroll.store import inventory, tables
from kiteroll.store.tracked_switches import site_where_read
from tests.support.factories import at, reading
from tests.support.live import LiveRun


class Sites:
    """Two sites whose readings are taken; `quay-1` is of the first."""

    def __init__(self, live: LiveRun) -> None:
        self.live, self.database = live, live.parts.storage.database
        self.switch = live.ids["quay-1"]
        self._change(source="snmp", site="Island")
        live.clock.set(at(0))
        self.intake = SiteIntake(self.database, live.clock)
        self.intake.load(("Island", "Yard"))
        ingestor = live.parts.tracking.ingestor
        self._readings = SiteReadings(
            self.intake, ingestor, ingestor.ingest, self._site_of, self._stored, live.clock
        )
        self._position = 0

    def change(self, minutes: float, **values: Any) -> None:
        """As a person does, then."""
        self.live.clock.set(at(minutes))
        self._change(**values)
        if "name" in values:
            self.live.parts.tracking.fleet.name_switch(self.switch, values["name"])

    def send(self, site: str, minutes: float, name: str = "quay-1") -> None:
        """A reading that was taken then."""
        one = replace(reading(minutes, {(1, 10): "p1"}), switch=name)
        data = encode(Sent(read=read_of(import_result(self.switch, one, None))))
        self._position += 1
        subject, acked = names.readings(names.site_token(site)), SimpleNamespace(ack=_nothing)
        message = Message(data, subject, self._position, self._position, cast(Any, acked))
        asyncio.run(self._readings._store_all(site, [message]))

    def recorded(self) -> list[datetime]:
        return self.database.run(_recorded)

    def refused(self, site: str) -> int:
        return self.intake.state(site).progress.refused

    def _change(self, **values: Any) -> None:
        (row,) = self.database.run(inventory.all_switches)
        self.database.run(inventory.change_switch, self.live.clock.now(), row.name, values)

    async def _site_of(self, switch: int) -> str | None:
        return self.database.run(site_where_read, switch)

    async def _stored(self, *_: object) -> None:
        pass


async def _nothing() -> None:
    pass


def _recorded(connection: Connection) -> list[datetime]:
    return list(connection.execute(select(tables.reading.c.taken_at).order_by(tables.reading.c.id)).scalars())


@pytest.fixture
def there(live: LiveRun) -> Sites:
    return Sites(live)


@pytest.mark.parametrize("values", [{"enabled": False}, {"site": "Yard"}])
def test_what_was_read_before_is_recorded_and_nothing_later_and_no_site_is_blamed(
    there: Sites, values: dict[str, Any]
) -> None:
    there.send("Island", 1)
    there.change(5, **values)
    there.send("Island", 4)
    there.send("Island", 6)
    assert there.recorded() == [at(1), at(4)]
    assert there.refused("Island") == 0


def test_one_of_a_switch_that_was_removed_blames_nobody(there: Sites) -> None:
    there.change(5)
    asyncio.run(there.live.parts.reading.inventory.remove_switch("quay-1"))
    there.send("Island", 4)
    assert (there.recorded(), there.refused("Island")) == ([], 0)


def test_a_site_that_never_read_it_or_must_have_heard_is_reported(there: Sites) -> None:
    there.change(5, enabled=False)
    there.send("Yard", 4)
    assert (there.recorded(), there.refused("Yard")) == ([], 1)
    there.live.clock.advance(timedelta(days=31).total_seconds())
    there.send("Island", 4)
    assert (there.recorded(), there.refused("Island")) == ([], 1)


def test_one_under_the_name_its_switch_had_is_recorded(there: Sites) -> None:
    there.change(5, name="quay-9")
    there.send("Island", 4)
    there.send("Island", 4)
    there.send("Island", 3)
    assert there.recorded() == [at(4), at(3)]
    assert there.live.parts.tracking.fleet.tracker.present("quay-9") == 1
