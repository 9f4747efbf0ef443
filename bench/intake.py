"""What a service spends on a reading of a collector: messages, tracker, records, findings, events.

A real `kiteroll up` with real message engines (NATS) of sites and the centre, as its users start them; then
the same with a tracker of the area of each site.
"""

import asyncio
import os
import tempfile
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import Connection, func, select
from tests.support.cluster import NatsServer, TrackerProcess, bus_of_centre

from bench.fleet import BEAT, START, Fleet, add_switch
from bench.handing_over import hand_over, settings_at
from bench.measure import row
from bench.service import running
from kiteroll.app.ingest import import_result
from kiteroll.bus import names
from kiteroll.bus.connection import connected
from kiteroll.bus.messages import Read, read_of
from kiteroll.bus.sealing import PrivateKey
from kiteroll.bus.site import SiteBus
from kiteroll.client import Client, add_collector
from kiteroll.collect.poller import PollResult
from kiteroll.schemas.api import NewCollector
from kiteroll.store import tables
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.sites import change_site

SWITCHES, ROWS = int(os.environ.get("KITEROLL_BENCH_SWITCHES", "500")), 500
SITES = ("Island", "Yard", "Terminal", "Quays")[: int(os.environ.get("KITEROLL_BENCH_SITES", "1"))]
"""Each is an area of its own, and has an equal share of the switches."""
_STEADY = (("unchanged", 0.0), ("1 % churn", 0.01))
ROUNDS = (("all new", 0.0), *_STEADY, *_STEADY, *_STEADY, *_STEADY)
_ALONE = 5
"""Rounds before there is a tracker."""
_REST_S = 15.0
_SETTLED_S = 5.0
"""Findings and the topology follow within seconds, and are part of the cost. What is spent at rest is not."""


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        base = Path(directory)
        server = PrivateServer(base / "database")
        database = Database(server.start(), pool_size=2)
        centre, engines = NatsServer(base, "centre"), {site: NatsServer(base, site) for site in SITES}
        centre.be_centre(list(SITES))
        for site, engine in engines.items():
            engine.be_site(site, centre.leaf_port)
        try:
            migrate(database)
            ids = [add_switch(database, number, _site_of(number)) for number in range(SWITCHES)]
            for engine in (centre, *engines.values()):
                engine.start()
            url = database.engine.url.render_as_string(hide_password=False)
            data = base / "data"
            with running(data, {"KITEROLL_DATABASE_URL": url, **bus_of_centre(centre)}) as (port, process):
                _take_over_sites(data, port, base)
                fleet = Fleet(len(ids), ROWS)
                _rounds(database, engines, fleet, ids, range(_ALONE), {"service": process})
                trackers = {site: _start_tracker(database, base, url, centre, site) for site in SITES}
                try:
                    processes = {"service": process} | {
                        f"tracker of {site}": one.pid for site, one in trackers.items()
                    }
                    _rounds(database, engines, fleet, ids, range(_ALONE, len(ROUNDS)), processes)
                finally:
                    for tracker in trackers.values():
                        tracker.end()
        finally:
            for engine in (*engines.values(), centre):
                engine.kill()
            database.close()
            server.stop()


def _site_of(number: int) -> str:
    return SITES[number % len(SITES)]


def _take_over_sites(data: Path, port: int, base: Path) -> None:
    """Have their switches read by a collector each, once the service answers."""
    token = data / "token"
    while not token.exists():
        time.sleep(0.1)
    with Client(f"http://127.0.0.1:{port}", token.read_text().strip()) as client:
        for site in SITES:
            key = PrivateKey(base / f"{site}.key").public
            client.send(add_collector(NewCollector(name=f"{site}-1", site=site, public_key=key)))


def _start_tracker(database: Database, base: Path, url: str, centre: NatsServer, site: str) -> TrackerProcess:
    """Returns once it has the switches."""
    database.run(change_site, site, {"area": site})
    environment = {"KITEROLL_DATABASE_URL": url, **bus_of_centre(centre)}
    tracker = TrackerProcess(base, f"tracker-{site}", site, environment)
    tracker.start()
    while '"more": ' not in tracker.log:
        time.sleep(0.1)
    return tracker


def _rounds(
    database: Database,
    engines: Mapping[str, NatsServer],
    fleet: Fleet,
    ids: Sequence[int],
    numbers: range,
    processes: Mapping[str, int],
) -> None:
    shift = datetime.now(UTC) - len(ROUNDS) * BEAT - START
    rest = _at_rest(processes)
    for number in numbers:
        label, churn = ROUNDS[number]
        fleet.churn(churn)
        results = [_result(fleet, one, switch, number, shift) for one, switch in enumerate(ids)]
        reads = [read_of(one) for one in results]
        before, began = {one: _cpu_s(at) for one, at in processes.items()}, time.perf_counter()
        asyncio.run(_send(engines, reads))
        while database.run(_stored) < (number + 1) * len(ids):
            time.sleep(0.05)
        wall = time.perf_counter() - began
        time.sleep(_SETTLED_S)
        took = time.perf_counter() - began
        # Of a tracker by those that are its own.
        counts = {name: len(ids) if name == "service" else len(ids) // len(SITES) for name in processes}
        spent = [
            f"{name} {1000 * (_cpu_s(at) - before[name] - rest[name] * took) / counts[name]:.2f}"
            for name, at in processes.items()
        ]
        row(
            f"{len(ids):,} x {ROWS}, {label}",
            f"{', '.join(spent)} ms CPU",
            f"a reading; {len(ids) / wall:.0f} a second",
        )


def _at_rest(processes: Mapping[str, int]) -> dict[str, float]:
    """Of a core, by process: what it spends whether readings come or not."""
    before = {name: _cpu_s(at) for name, at in processes.items()}
    time.sleep(_REST_S)
    found = {name: (_cpu_s(at) - before[name]) / _REST_S for name, at in processes.items()}
    row("at rest", ", ".join(f"{name} {100 * share:.1f} %" for name, share in found.items()), "of a core")
    return found


async def _send(engines: Mapping[str, NatsServer], reads: Sequence[Read]) -> None:
    """Each by the engine of its site, all at once."""

    async def of_site(at: int, site: str, engine: NatsServer) -> None:
        settings = settings_at(engine)
        async with connected(settings, "bench", f"_INBOX_{names.site_token(site)}") as client:
            bus = SiteBus(client, settings, site, f"{site}-1")
            await bus.prepare()
            await hand_over(bus, reads[at :: len(SITES)])

    await asyncio.gather(*(of_site(at, *one) for at, one in enumerate(engines.items())))


def _result(fleet: Fleet, one: int, switch: int, number: int, shift: timedelta) -> PollResult:
    made = fleet.reading(one, number)
    return import_result(switch, replace(made, taken_at=made.taken_at + shift), None)


def _stored(connection: Connection) -> int:
    return int(connection.execute(select(func.count()).select_from(tables.reading)).scalar_one())


def _cpu_s(process: int) -> float:
    used = Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[11:13]
    return sum(map(int, used)) / os.sysconf("SC_CLK_TCK")
