"""What following costs a service that only answers, beside what the one it follows spends on each reading."""

import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any, cast

from bench.fleet import Fleet, add_switch
from bench.measure import row
from kiteroll.app.events import EventBus
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.serving.followed_records import FollowedRecords
from kiteroll.collect.poller import PollResult
from kiteroll.core.tracking.admission import AdmissionLimits
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
    tracks, follows = (_ingestor(database) for _ in range(2))
    nothing = cast(Any, _Nothing())
    records = FollowedRecords(follows, NameIndexes(database), nothing, nothing, nothing, nothing)

    def store(number: int) -> set[str]:
        """Names of switches in which something changed."""
        changed = set()
        for one, switch_id in enumerate(ids):
            reading = fleet.reading(one, number)
            came = PollResult(
                switch=switch_id,
                name=reading.switch,
                started_at=reading.taken_at,
                duration=timedelta(seconds=1),
                outcome=reading,
            )
            stored = cast(Any, tracks._ingest(came))
            if stored.change_count:
                changed.add(reading.switch)
        return changed

    store(0)
    _, all_s = _timed(records.reload)
    row(f"{switches:,} x {ROWS}: all of it read", f"{all_s:.2f} s CPU", f"{switches * ROWS:,} addresses")
    names = {fleet.reading(one, 0).switch for one in range(switches)}
    for number, (label, churn) in enumerate(ROUNDS, start=1):
        fleet.churn(churn)
        changed, writing_s = _timed(lambda number=number: store(number))  # type: ignore[misc]
        _, following_s = _timed(lambda changed=changed: records.after_readings(names, changed))  # type: ignore[misc]
        assert follows.tracker.tables().keys() == tracks.tracker.tables().keys()
        one = follows.tracker.table(min(names)), tracks.tracker.table(min(names))
        assert one[0].learned == one[1].learned
        row(
            f"{switches:,} x {ROWS}, {label}",
            f"{1000 * following_s / switches:.2f} ms CPU",
            f"a reading; writing it {1000 * writing_s / switches:.2f}",
        )


def _ingestor(database: Database) -> ReadingIngestor:
    made = ReadingIngestor(database, None, AdmissionLimits(), EventBus())
    made.load()
    return made


def _timed(work: Callable[[], Any]) -> tuple[Any, float]:
    """CPU seconds of this process."""
    began = time.process_time()
    return work(), time.process_time() - began
