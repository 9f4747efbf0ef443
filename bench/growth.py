"""What a reading costs tracker, records and the roles of ports in fleets of growing size: is growth linear?

By turns in one run. The fleets are 1/400 to 1/50 of 100,000 switches with 500 addresses each.
"""

import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import text

from bench.fleet import Fleet, add_switch
from bench.measure import row
from kiteroll.core.topology.areas import infer_areas
from kiteroll.core.topology.inference import TopologyFacts
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.memory import collect_seldom, freeze_what_is_loaded
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.reading_writer import ReadingWriter

FLEETS, ROWS = (250, 500, 1000, 2000), 500
TURNS = 5
ROUNDS = (("unchanged", 0.0), ("1 % churn", 0.01))


class _Site:
    """A fleet with a tracker and records of its own."""

    def __init__(self, database: Database, switches: int) -> None:
        migrate(database)
        self.switches = switches
        self._fleet, self._tracker = Fleet(switches, ROWS), Tracker()
        self._writer = ReadingWriter(database)
        self._ids = [add_switch(database, number) for number in range(switches)]
        self._round = 0

    def read(self, churn: float) -> float:
        """All of it once; seconds of our CPU a reading."""
        self._fleet.churn(churn)
        readings = [self._fleet.reading(one, self._round) for one in range(self.switches)]
        self._round += 1
        began = time.process_time()
        for switch_id, reading in zip(self._ids, readings, strict=True):
            changes = self._tracker.apply(reading)
            checkpoint = self._tracker.checkpoint(reading.switch)
            self._writer.write_reading(switch_id, reading, changes, checkpoint)
        return (time.process_time() - began) / self.switches

    def infer(self) -> float:
        """Roles of all ports, from tables alone; seconds of our CPU a switch."""
        tables = self._tracker.tables()
        began = time.process_time()
        infer_areas(TopologyFacts(switches=frozenset(tables), tables=tables))
        return (time.process_time() - began) / self.switches


def main() -> None:
    collect_seldom()  # as in the service
    with tempfile.TemporaryDirectory() as directory:
        server = PrivateServer(Path(directory) / "database")
        whole = Database(server.start(), pool_size=1)
        databases: list[Database] = []
        try:
            for switches in FLEETS:
                name = f"kiteroll_fleet_{switches}"
                whole.run(lambda c, name=name: c.execute(text(f"CREATE DATABASE {name}")))  # type: ignore[misc]
                databases.append(Database(whole.url.set(database=name), pool_size=1))
            sites = [_Site(database, switches) for database, switches in zip(databases, FLEETS, strict=True)]
            for site in sites:
                site.read(0.0)  # everything is new
            freeze_what_is_loaded()
            for label, churn in ROUNDS:
                turns = [[site.read(churn) for site in sites] for _ in range(TURNS)]
                _report(label, "a reading", sites, turns)
            roles = [[site.infer() for site in sites] for _ in range(TURNS)]
            _report("roles of ports, once", "a switch", sites, roles)
        finally:
            for database in (*databases, whole):
                database.close()
            server.stop()


def _report(label: str, of: str, sites: Sequence[_Site], turns: Sequence[Sequence[float]]) -> None:
    """The lowest of the turns: what other work on the machine adds is not the fleet's."""
    lowest = [min(turn[at] for turn in turns) for at in range(len(sites))]
    for site, seconds in zip(sites, lowest, strict=True):
        row(
            f"{site.switches:,} x {ROWS}, {label}",
            f"{1000 * seconds:.2f} ms CPU",
            f"{of}; {seconds / lowest[0]:.2f} of the smallest fleet's",
        )
