"""What a reading costs each role where collectors read, and how that grows with the fleet.

Readings are made, not read from agents; they go through real message engines (NATS) of a site and the centre.
"""

import asyncio
import tempfile
import time
from collections.abc import Awaitable, Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TypeVar

from tests.support.cluster import CENTRE, NatsServer

from bench.fleet import Fleet, add_switch
from bench.handing_over import hand_over, settings_at
from bench.measure import row
from kiteroll.app.ingest import import_result
from kiteroll.bus.centre import CentreBus
from kiteroll.bus.connection import connected
from kiteroll.bus.messages import Read, Sent, decode, read_of, result_of
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.site import SiteBus
from kiteroll.collect.poller import PollResult
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.reading_writer import ReadingWriter

T = TypeVar("T")
FLEETS, ROWS = (250, 500, 1000, 2000), 500
ROUNDS = (("first round, all new", 0.0), ("unchanged", 0.0), ("1 % churn", 0.01))


def main() -> None:
    for switches in FLEETS:
        with tempfile.TemporaryDirectory() as directory:
            server = PrivateServer(Path(directory) / "database")
            database = Database(server.start(), pool_size=2)
            centre, site = NatsServer(Path(directory), "centre"), NatsServer(Path(directory), "site")
            centre.be_centre(["Island"])
            site.be_site("Island", centre.leaf_port)
            try:
                migrate(database)
                for engine in (centre, site):
                    engine.start()
                asyncio.run(_fleet(database, centre, site, switches))
            finally:
                for engine in (site, centre):
                    engine.kill()
                database.close()
                server.stop()


async def _fleet(database: Database, centre: NatsServer, site: NatsServer, switches: int) -> None:
    fleet, tracker, writer = Fleet(switches, ROWS), Tracker(), ReadingWriter(database)
    ids = [add_switch(database, number, "Island") for number in range(switches)]
    at_site = settings_at(site)
    at_centre = BusSettings(
        url=f"tls://127.0.0.1:{centre.port}",
        user="centre",
        password=CENTRE,
        ca_file=centre.directory / "tls" / "ca.pem",
    )
    async with (
        connected(at_site, "bench", "_INBOX_Island") as near,
        connected(at_centre, "bench", "_INBOX_centre") as far,
    ):
        here, there = SiteBus(near, at_site, "Island", "bench"), CentreBus(far, at_centre)
        await here.prepare()
        await there.follow("Island", None)
        for number, (label, churn) in enumerate(ROUNDS):
            fleet.churn(churn)
            results = [import_result(ids[one], fleet.reading(one, number), None) for one in range(switches)]
            reads: list[Read]
            came: list[PollResult]
            reads, making = _timed(partial(list, map(read_of, results)))
            _, sending, wall = await _timed_async(partial(hand_over, here, reads))
            received, receiving, _ = await _timed_async(partial(_receive, there, switches))
            came, opening = _timed(partial(list, map(_opened, received)))
            _, writing = _timed(partial(_write, tracker, writer, came))
            octets = sum(map(len, received)) / switches
            collector = making + sending
            row(
                f"{switches:,} x {ROWS}, {label}",
                f"{1000 * (collector + receiving + opening + writing) / switches:.2f} ms CPU",
                f"a reading: collector {1000 * collector / switches:.2f}, taking and opening "
                f"{1000 * (receiving + opening) / switches:.2f}, tracker and records "
                f"{1000 * writing / switches:.2f}; {octets / 1000:.1f} kB; sent {switches / wall:.0f}/s",
            )


async def _receive(bus: CentreBus, count: int) -> list[bytes]:
    found: list[bytes] = []
    async for messages in bus.readings("Island"):
        found += [one.data for one in messages]
        for one in messages:
            await one.confirm()
        if len(found) >= count:
            break
    return found


def _opened(data: bytes) -> PollResult:
    read = decode(Sent, data).read
    assert read is not None
    return result_of(read)


def _write(tracker: Tracker, writer: ReadingWriter, came: Sequence[PollResult]) -> None:
    for one in came:
        reading = one.outcome
        assert not isinstance(reading, Exception)
        changes = tracker.apply(reading)
        writer.write_reading(one.switch, reading, changes, tracker.checkpoint(one.name))


def _timed(work: Callable[[], T]) -> tuple[T, float]:
    """CPU seconds of this process."""
    began = time.process_time()
    return work(), time.process_time() - began


async def _timed_async(work: Callable[[], Awaitable[T]]) -> tuple[T, float, float]:
    """CPU seconds of this process, and seconds on the wall."""
    began, at = time.process_time(), time.perf_counter()
    done = await work()
    return done, time.process_time() - began, time.perf_counter() - at
