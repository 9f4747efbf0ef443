"""Tracker and store together, on a private MariaDB: a round's CPU and the rows it writes."""

import tempfile
import time
from itertools import groupby
from operator import itemgetter
from pathlib import Path

from sqlalchemy import text

from bench.fleet import Fleet, add_switch
from bench.measure import row
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.store import inventory, tracked_state
from kiteroll.store.area_lease import SERVICE_STAYS
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.reading_writer import ReadingWriter

SWITCHES, ROWS = 1000, 500


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        server = PrivateServer(Path(directory) / "database")
        database = Database(server.start(), pool_size=2)
        try:
            migrate(database)
            _rounds(database)
        finally:
            database.close()
            server.stop()


def _rounds(database: Database) -> None:
    fleet, tracker, recorder = Fleet(SWITCHES, ROWS), Tracker(), ReadingWriter(database)
    ids = [add_switch(database, number) for number in range(SWITCHES)]
    steps = (
        ("first round, all new", lambda: None),
        ("unchanged", lambda: None),
        ("1 % churn", lambda: fleet.churn(0.01)),
        ("unchanged, some quiet", lambda: None),
        ("everything moves", fleet.move_all),
    )
    for round_, (label, change) in enumerate(steps):
        change()
        readings = [fleet.reading(switch, round_) for switch in range(SWITCHES)]
        before = _handlers(database)
        wall, cpu, server_cpu = time.perf_counter(), time.process_time(), _server_cpu()
        for switch_id, reading in zip(ids, readings, strict=True):
            changes = tracker.apply(reading)
            recorder.write_reading(switch_id, reading, changes, tracker.checkpoint(reading.switch))
        wall, cpu, server_cpu = (
            time.perf_counter() - wall,
            time.process_time() - cpu,
            _server_cpu() - server_cpu,
        )
        after = _handlers(database)
        written = {name: after[name] - before[name] for name in ("Handler_write", "Handler_update")}
        row(
            f"{SWITCHES:,} x {ROWS}, {label}",
            f"{cpu:.2f} s CPU",
            f"{wall:.1f} s wall, server {server_cpu:.1f} s CPU; rows a switch: "
            + ", ".join(f"{name[8:]} {count / SWITCHES:.1f}" for name, count in written.items()),
        )
    began = time.perf_counter()
    again = Tracker(next_stay=database.run(tracked_state.next_stay_id, SERVICE_STAYS))
    known = {one.id: one for one in database.run(inventory.all_switches)}
    ports = database.run(tracked_state.port_numbers_by_switch)
    for switch_id, stays in groupby(database.stream(tracked_state.open_stays), key=itemgetter(0)):
        one = known[switch_id]
        again.restore(one.name, one.checkpoint, ports[switch_id], map(itemgetter(1), stays))
    row(
        "start-up: tracker from the store",
        f"{time.perf_counter() - began:.2f} s wall",
        f"{again.tracked():,} open stays",
    )


def _handlers(database: Database) -> dict[str, int]:
    with database.engine.connect() as connection:
        return {
            name: int(value)
            for name, value in connection.execute(text("SHOW GLOBAL STATUS LIKE 'Handler_%'"))
        }


def _server_cpu() -> float:
    """CPU seconds of the MariaDB server, a child of this process."""
    import os

    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                parts = (entry / "stat").read_text().rsplit(")", 1)[1].split()
            except OSError:
                continue
            if int(parts[1]) == os.getpid():
                return (int(parts[11]) + int(parts[12])) / os.sysconf("SC_CLK_TCK")
    return 0.0
