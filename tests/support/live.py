"""The application on a real database, driven by readings and by hand: what the service does, without
its network, its HTTP and its waiting."""

from contextlib import ExitStack
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Self

from kiteroll.app.config import Config
from kiteroll.app.finding_facts import StoredFacts
from kiteroll.app.ingest import import_result
from kiteroll.app.parts.whole import build
from kiteroll.app.settings import DatabaseSettings
from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.reading import Reading
from kiteroll.store import inventory
from kiteroll.store.database import Database
from tests.support.clock import ManualClock
from tests.support.factories import NOON


class LiveRun:
    """A context manager: built as `kiteroll up` builds it, with a clock of its own."""

    def __init__(self, database: Database, data: Path, switches: list[str]) -> None:
        self.clock = ManualClock()
        url = database.url.render_as_string(hide_password=False)
        self._config = Config(data_dir=data, database=DatabaseSettings(url=url))
        self._stack = ExitStack()
        self.ids = {name: add_switch(database, name) for name in switches}

    def __enter__(self) -> Self:
        self.parts = build(self._config, self.clock, self._stack, lambda: None)
        self.facts = StoredFacts(
            self.parts.storage.database, self.parts.tracking.fleet, self.parts.tracking.topology
        )
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.parts.tracking.turns.stop()
        self._stack.close()

    def store(self, reading: Reading) -> None:
        self.clock.set(reading.taken_at)
        self.parts.tracking.ingestor._ingest(import_result(self.ids[reading.switch], reading, None))

    def apply(self, reading: Reading) -> list[Finding]:
        """Store it and evaluate what is due; findings that changed."""
        self.store(reading)
        return self.evaluate(reading.taken_at)

    def evaluate(self, now: datetime) -> list[Finding]:
        self.clock.set(now)
        return self.parts.findings.worker.evaluate_pending(now)


def add_switch(database: Database, name: str) -> int:
    row = database.run(
        inventory.add_switch,
        NOON,
        name=name,
        source="files",
        host="",
        udp_port=161,
        in_groups=[],
        notes="",
        interval_s=60,
        enabled=True,
    )
    return row.id
