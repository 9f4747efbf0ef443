"""A year in the life of the service, in compressed time: real code and database, time handed in.

Switches are read some times a day; each day addresses come that were never there and others leave for good,
each week a switch is replaced. Records are kept for a month, so memory, disk and the time of questions must
be level from the second month on. KITEROLL_BENCH_SWITCHES and KITEROLL_BENCH_READINGS say how many switches,
and how many readings a day.
"""

import logging
import os
import random
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from sqlalchemy import text
from tests.support.factories import NOON
from tests.support.live import LiveRun, add_switch
from tests.support.memory import resident_mb

from bench.measure import row
from kiteroll.app.queries.endpoints import StayFilter
from kiteroll.app.queries.findings import FindingFilters
from kiteroll.app.settings import RetentionSettings
from kiteroll.app.workers.periodic import delete_old
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.reading import Device, Port, Reading, key_of
from kiteroll.store import inventory
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer

SWITCHES, ROWS = int(os.environ.get("KITEROLL_BENCH_SWITCHES", "12")), 100
DAYS = int(os.environ.get("KITEROLL_BENCH_DAYS", "365"))
_A_DAY = int(os.environ.get("KITEROLL_BENCH_READINGS", "12"))
_NEW_A_DAY = 5 * SWITCHES
_KEPT = RetentionSettings.model_validate({"readings": "7d", "history": "30d"})
_PORTS = tuple(Port(number=number, name=f"p{number}", alias=f"desk {number}") for number in range(1, 25))


def main() -> None:
    logging.getLogger("kiteroll").setLevel(logging.ERROR)  # findings are reported as warnings
    with tempfile.TemporaryDirectory() as directory:
        server = PrivateServer(Path(directory) / "database")
        database = Database(server.start(), pool_size=2)
        try:
            migrate(database)
            names = [f"cabin-{number}" for number in range(SWITCHES)]
            with LiveRun(database, Path(directory) / "data", names) as run:
                _live(run, database, names, Path(directory) / "database")
        finally:
            database.close()
            server.stop()


def _live(run: LiveRun, database: Database, names: list[str], files: Path) -> None:
    rng = random.Random(7)
    addresses = [0x021A09000000 + number for number in range(SWITCHES * ROWS)]
    places = {mac: (number % SWITCHES, 1 + number % 24) for number, mac in enumerate(addresses)}
    newest, replaced = addresses[-1], SWITCHES
    fleet = run.parts.tracking.fleet
    for day in range(DAYS):
        for gone in rng.sample(list(places), _NEW_A_DAY):
            newest += 1
            places[newest] = places.pop(gone)
        for mac in rng.sample(list(places), max(20, SWITCHES)):
            places[mac] = (places[mac][0], rng.randrange(1, 25))
        if day % 7 == 6:
            old = names.pop(0)
            changes = fleet.tracker.forget(old, run.clock.now())
            database.run(inventory.remove_switch, run.ids.pop(old), run.clock.now(), changes)
            names.append(f"cabin-{replaced}")
            run.ids[names[-1]] = add_switch(database, names[-1])
            fleet.load()
            replaced += 1
        for part in range(_A_DAY):
            at = NOON + timedelta(days=day, hours=part * 24 / _A_DAY)
            tables: list[dict[int, int]] = [{} for _ in names]
            for mac, (switch, port) in places.items():
                tables[switch][key_of(mac, 10)] = port
            for name, learned in zip(names, tables, strict=True):
                device = Device(name=name, uptime_ticks=(day * 86400 + part) * 100 % 2**32)
                at += timedelta(seconds=1)
                run.store(Reading(switch=name, taken_at=at, ports=_PORTS, learned=learned, device=device))
            run.evaluate(at)
        deleted = delete_old(database, run.clock, _KEPT)
        run.parts.tracking.ingestor.forget_endpoints(deleted.endpoints)
        if day % 30 == 29 or day == DAYS - 1:
            _report(day + 1, database, files, run, names)


def _report(day: int, database: Database, files: Path, run: LiveRun, names: list[str]) -> None:
    with database.engine.connect() as connection:
        counts = {
            table: connection.execute(text(f"SELECT COUNT(*) FROM {table}")).scalar_one()
            for table in ("stay", "change_log", "reading", "endpoint", "finding", "port", "switch")
        }
    disk = sum(one.stat().st_size for one in files.rglob("*.ibd")) >> 10
    rows = ", ".join(f"{table} {count:,}" for table, count in counts.items())
    parts, known = run.parts, len(run.parts.tracking.fleet.index)
    parts.tracking.names.refresh()
    asked = {
        "find": lambda number: parts.queries.search.find(f"{number * 257 % 65536:04x}", 50, None),
        "a switch": lambda number: parts.queries.endpoints.stays(
            StayFilter(switch=names[number % len(names)]), PageAsk(limit=500)
        ),
        "findings": lambda _: parts.queries.findings.page(FindingFilters(), PageAsk(limit=100)),
    }
    took = ", ".join(f"{what} {_p95_ms(ask):.1f} ms" for what, ask in asked.items())
    row(
        f"day {day}",
        f"{resident_mb('self')} MB memory",
        f"{disk / 1024:.1f} MB on disk; {known:,} addresses known; {rows}; p95: {took}",
    )


def _p95_ms(ask: Callable[[int], object]) -> float:
    took = []
    for number in range(100):
        began = time.perf_counter()
        ask(number)
        took.append((time.perf_counter() - began) * 1000)
    return statistics.quantiles(took, n=20)[-1]


if __name__ == "__main__":
    main()
