"""Readings become records the same way, whether the poller of this process hands them over, or a collector
does, over the message engines of its site and of the centre, to the service or to the tracker of its area:
one contract, held to all."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
from sqlalchemy import Connection, select, update

from kiteroll.app.collectors import Collectors
from kiteroll.app.config import Config
from kiteroll.app.events import EventBus
from kiteroll.app.ingest import import_result
from kiteroll.app.settings import TrackerSettings
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.trackers.areas import AreaTrackers
from kiteroll.app.workers.collector_bus import CollectorBus
from kiteroll.bus.connection import connected
from kiteroll.bus.messages import read_of
from kiteroll.bus.sealing import PrivateKey
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.site import SiteBus
from kiteroll.clock import SystemClock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import DeviceSilent
from kiteroll.store import sites, tables
from kiteroll.store.database import Database
from kiteroll.tracker.role import TrackerRole
from tests.support.cluster import CENTRE, COLLECTOR, NatsServer
from tests.support.database_proxy import DatabaseProxy
from tests.support.factories import at, reading
from tests.support.live import add_switch
from tests.support.storing import storing

HandOver = Callable[[PollResult], Awaitable[object]]
Way = Callable[[Database], AbstractAsyncContextManager[HandOver]]
Recorded = tuple[datetime, str, int]
"""When it was taken, its outcome, and how many changes it brought."""
_PATIENCE_S = 30.0


@asynccontextmanager
async def in_process(database: Database) -> AsyncIterator[HandOver]:
    """As the poller does: it hears of each once it is recorded."""
    turns, _, ingestor = storing(database, EventBus())
    try:
        yield ingestor.ingest
    finally:
        turns.stop()


def over_the_bus(directory: Path, area: str = "") -> Way:
    """As a collector does: it hears of each once the engine of its site has it on disk. `area`: that of the
    site, which has a tracker."""

    @asynccontextmanager
    async def way(database: Database) -> AsyncIterator[HandOver]:
        centre, site = NatsServer(directory, "centre"), NatsServer(directory, "site")
        centre.be_centre(["Island"])
        site.be_site("Island", centre.leaf_port)
        ca_file = directory / "tls" / "ca.pem"
        there = BusSettings(
            url=f"tls://127.0.0.1:{centre.port}", user="centre", password=CENTRE, ca_file=ca_file
        )
        here = BusSettings(url=site.url, user="collector", password=COLLECTOR)
        for engine in (centre, site):
            engine.start()
        (turns, fleet, ingestor), clock = storing(database, EventBus()), SystemClock()
        intake = SiteIntake(database, clock)
        collectors = Collectors(database, clock, lambda *_: b"", intake, has_bus=True)
        collectors.add("island-1", "Island", PrivateKey(directory / "key").public)
        areas = AreaTrackers(
            database,
            turns,
            fleet,
            collectors.reads,
            intake,
            clock,
            EventBus(),
            lambda: worker.sites_changed(),
        )
        worker = CollectorBus(
            there, collectors, intake, ingestor, ingestor.ingest, lambda _: "Island", areas.sites, clock
        )
        work = [worker.run(), areas.run()]
        if area:
            database.run(_be_in_area, area)
            config = Config(data_dir=directory, bus=there, tracker=TrackerSettings(area=area))
            work.append(TrackerRole(database, config, clock).run(lambda: None))
        running = [asyncio.create_task(one) for one in work]
        try:
            async with asyncio.timeout(_PATIENCE_S):
                while area and not areas.sites():  # noqa: ASYNC110 - the tracker writes to the database alone
                    await asyncio.sleep(0.05)
            async with connected(here, "test", "_INBOX_Island") as client:
                bus = SiteBus(client, here, "Island", "island-1")
                await bus.prepare()
                yield lambda result: bus.publish(read_of(result))
        finally:
            for task in running:
                task.cancel()
            await asyncio.gather(*running, return_exceptions=True)
            assert bool(area) == bool(fleet.elsewhere)
            turns.stop()
            for engine in (site, centre):
                engine.kill()

    return way


def _be_in_area(connection: Connection, area: str) -> None:
    connection.execute(update(tables.switch).values(site="Island", source="snmp"))
    sites.change_site(connection, "Island", {"area": area})


@pytest.fixture(params=["in process", "over the bus", "by a tracker"])
def way(request: pytest.FixtureRequest, tmp_path: Path) -> Way:
    ways = {
        "in process": in_process,
        "over the bus": over_the_bus(tmp_path),
        "by a tracker": over_the_bus(tmp_path, "afloat"),
    }
    return ways[request.param]


def _result(switch_id: int, minutes: float, table: dict[tuple[int, int], str]) -> PollResult:
    return import_result(switch_id, reading(minutes, table), None)


def _failed(switch_id: int, minutes: float) -> PollResult:
    silent = DeviceSilent("192.0.2.1", "no answer")
    return replace(_result(switch_id, minutes, {}), outcome=silent)


def _recorded(connection: Connection) -> list[Recorded]:
    one = tables.reading.c
    rows = connection.execute(select(one.taken_at, one.outcome, one.change_count).order_by(one.id))
    return [(taken_at, outcome, changes) for taken_at, outcome, changes in rows]


def _stays(connection: Connection) -> list[tuple[int, datetime, bool]]:
    one = tables.stay.c
    rows = connection.execute(select(one.mac, one.began_at, one.ended_at).order_by(one.id))
    return [(int(mac) & 0xFF, began_at, ended_at is None) for mac, began_at, ended_at in rows]


async def _until(database: Database, count: int) -> list[Recorded]:
    """What is recorded, once there is so much."""
    async with asyncio.timeout(_PATIENCE_S):
        while len(found := database.run(_recorded)) < count:  # noqa: ASYNC110 - another process notifies nobody
            await asyncio.sleep(0.05)
    return found


def _run(way: Way, database: Database, results: Iterable[PollResult], count: int) -> list[Recorded]:
    async def go() -> list[Recorded]:
        async with way(database) as hand_over:
            for one in results:
                await hand_over(one)
            return await _until(database, count)

    return asyncio.run(go())


def test_each_is_recorded_once_and_in_order(way: Way, database: Database) -> None:
    one = add_switch(database, "quay-1")
    results = [
        _result(one, 0, {(1, 10): "p1"}),
        _result(one, 1, {(1, 10): "p1", (2, 10): "p2"}),
        _failed(one, 2),
        _result(one, 3, {(1, 10): "p3", (2, 10): "p2"}),
    ]
    assert _run(way, database, results, 4) == [
        (at(0), "complete", 1),
        (at(1), "complete", 1),
        (at(2), "failed", 0),
        (at(3), "complete", 1),
    ]
    assert database.run(_stays) == [(1, at(0), False), (2, at(1), True), (1, at(3), True)]


def test_one_that_comes_again_is_recorded_once(way: Way, database: Database) -> None:
    one = add_switch(database, "quay-1")
    first, second = _result(one, 0, {(1, 10): "p1"}), _result(one, 1, {(1, 10): "p2"})
    found = _run(way, database, [first, second, second, first, _result(one, 2, {(1, 10): "p2"})], 3)
    assert [(taken_at, changes) for taken_at, _, changes in found] == [(at(0), 1), (at(1), 1), (at(2), 0)]
    assert database.run(_stays) == [(1, at(0), False), (1, at(1), True)]


def test_one_of_a_switch_that_is_no_more_holds_up_none_behind_it(way: Way, database: Database) -> None:
    one = add_switch(database, "quay-1")
    stranger = replace(_result(one + 7, 0, {(9, 10): "p9"}), name="quay-9")
    found = _run(way, database, [stranger, _result(one, 1, {(1, 10): "p1"})], 1)
    assert found == [(at(1), "complete", 1)]
    assert [number for number, _, _ in database.run(_stays)] == [1]


def test_while_the_database_is_away_they_wait_and_none_is_lost(way: Way, database: Database) -> None:
    one = add_switch(database, "quay-1")

    async def go() -> list[Recorded]:
        with DatabaseProxy(database.url) as proxy:
            cut_off = Database(proxy.url, pool_size=2, answer_s=2)
            async with way(cut_off) as hand_over:
                await hand_over(_result(one, 0, {(1, 10): "p1"}))
                await _until(database, 1)
                proxy.cut()
                proxy.hold_back()

                async def more() -> None:
                    for minutes in (2, 3, 4):
                        await hand_over(_result(one, minutes, {(1, 10): f"p{minutes}"}))

                handing_over = asyncio.create_task(more())
                await asyncio.sleep(0.5)
                assert len(database.run(_recorded)) == 1
                proxy.pass_on()
                await handing_over
                found = await _until(database, 4)
            cut_off.close()
            return found

    assert [taken_at for taken_at, _, _ in asyncio.run(go())] == [at(0), at(2), at(3), at(4)]
