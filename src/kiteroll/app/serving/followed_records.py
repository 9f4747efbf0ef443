"""Keeps what a service has in memory as the records are that another one writes."""

from collections.abc import Callable, Iterable, Mapping

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.serving.sent_event import FORGOTTEN
from kiteroll.app.workers.findings import FindingWorker


class FollowedRecords:
    """Every method reads the database, and may raise StorageUnavailable."""

    def __init__(
        self,
        ingestor: ReadingIngestor,
        names: NameIndexes,
        findings: FindingWorker,
        access: AccessBook,
        runtime_settings: RuntimeSettings,
        makers: MakerDirectory,
    ) -> None:
        self._ingestor = ingestor
        self._names = names
        self._findings = findings
        self._of_action: Mapping[str, Callable[[], object]] = {
            **dict.fromkeys(("user", "token", "session"), access.reload),
            **dict.fromkeys(("switch", "site", "group"), ingestor.reload_inventory),
            "setting": runtime_settings.reload,
            "maker": makers.reload,
            "finding": findings.reload,
            FORGOTTEN.partition(".")[0]: ingestor.reload_index,
        }
        """By the first word of an action of the audit log: what is to be read anew after it."""

    def reload(self) -> None:
        """All of it."""
        self._ingestor.load()
        self._names.load()
        done = {self._ingestor.reload_inventory, self._ingestor.reload_index}
        for work in set(self._of_action.values()) - done:
            work()

    def after_actions(self, actions: Iterable[str]) -> None:
        """Somebody changed something; `actions` as the audit log calls them."""
        kinds = {one.partition(".")[0] for one in actions}
        for work in {work for kind, work in self._of_action.items() if kind in kinds}:
            work()

    def after_findings(self) -> None:
        self._findings.reload()

    def after_reading(self, stored: ReadingStored) -> None:
        """What it changed is taken over as it is told; the records are read where it does not fit."""
        if self._ingestor.record_stored(stored) is not None:
            self._names.on_reading(stored)

    def after_probe(self, switch: str) -> None:
        number = next((number for number, name in self._ingestor.switches.items() if name == switch), None)
        if number is not None:
            self._ingestor.reload_switch(number)
