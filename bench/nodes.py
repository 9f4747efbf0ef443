"""What following costs a service that only answers, beside what the one it follows spends on each reading."""

import tempfile
from functools import partial
from pathlib import Path
from typing import Any, cast

from tests.support.storing import storing

from bench.fleet import Fleet, add_switch
from bench.measure import once, row
from kiteroll.app.events import EventBus, ReadingStored
from kiteroll.app.ingest import import_result
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.serving.followed_records import FollowedRecords
from kiteroll.app.trackers.reports import PortNames, parse_report, report_text
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer

FLEETS, ROWS = (250, 1000), 500
ROUNDS = (("unchanged", 0.0), ("1 % churn", 0.01), ("10 % churn", 0.1))


class _Nothing:
    """In place of what readings do not concern."""

    def reload(self) -> None:
        pass


def main() -> None:
    for switches in FLEETS:
        with tempfile.TemporaryDirectory() as directory:
            server = PrivateServer(Path(directory) / "database")
            database = Database(server.start(), pool_size=2)
            try:
                migrate(database)
                _fleet(database, switches)
            finally:
                database.close()
                server.stop()


def _fleet(database: Database, switches: int) -> None:
    fleet = Fleet(switches, ROWS)
    ids = [add_switch(database, number, "Island") for number in range(switches)]
    reported: list[str] = []
    """Of each reading, as it goes over the line."""
    bus, ports = EventBus(), PortNames()
    bus.subscribe(ReadingStored, lambda event: reported.append(report_text(ports.in_short(event))))
    tracks, follows = storing(database, bus), storing(database, EventBus())
    nothing = cast(Any, _Nothing())
    records = FollowedRecords(
        follows.fleet, NameIndexes(database), nothing, nothing, nothing, nothing, nothing
    )

    def store(number: int) -> None:
        reported.clear()
        for one, switch_id in enumerate(ids):
            tracks.ingestor._ingest(import_result(switch_id, fleet.reading(one, number), None))

    def follow() -> None:
        for line in reported:
            records.after_reading(cast(ReadingStored, parse_report(line)))

    store(0)
    all_s = once(records.reload).cpu_s
    row(f"{switches:,} x {ROWS}: all of it read", f"{all_s:.2f} s CPU", f"{switches * ROWS:,} addresses")
    names = {fleet.reading(one, 0).switch for one in range(switches)}
    for number, (label, churn) in enumerate(ROUNDS, start=1):
        fleet.churn(churn)
        writing_s = once(partial(store, number)).cpu_s
        following_s = once(follow).cpu_s
        assert follows.fleet.tracker.tables().keys() == tracks.fleet.tracker.tables().keys()
        one = follows.fleet.tracker.table(min(names)), tracks.fleet.tracker.table(min(names))
        assert one[0].learned == one[1].learned
        row(
            f"{switches:,} x {ROWS}, {label}",
            f"{1000 * following_s / switches:.2f} ms CPU",
            f"a reading; writing it {1000 * writing_s / switches:.2f}",
        )
