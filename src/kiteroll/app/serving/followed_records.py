"""Keeps what a service has in memory as the records are that another one writes."""

from collections.abc import Callable, Iterable, Mapping

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.events import ReadingStored
from kiteroll.app.label_index import LabelIndex
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.serving.sent_event import FORGOTTEN
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.workers.findings import FindingWorker


class FollowedRecords:
    """Every method reads the database, and may raise StorageUnavailable."""

    def __init__(
        self,
        fleet: TrackedFleet,
        names: NameIndexes,
        labels: LabelIndex,
        findings: FindingWorker,
        access: AccessBook,
        runtime_settings: RuntimeSettings,
        makers: MakerDirectory,
    ) -> None:
        self._fleet = fleet
        self._names = names
        self._findings = findings
        self._of_action: Mapping[str, Callable[[], object]] = {
            **dict.fromkeys(("user", "token", "session"), access.reload),
            **dict.fromkeys(("switch", "site", "group"), fleet.reload_inventory),
            "setting": runtime_settings.reload,
            "maker": makers.reload,
            **dict.fromkeys(("label", "endpoint"), labels.reload),
            "finding": findings.reload,
            FORGOTTEN.partition(".")[0]: fleet.reload_index,
        }
        """By the first word of an action of the audit log: what is to be read anew after it."""

    def reload(self) -> None:
        """All of it."""
        self._fleet.load()
        self._names.load()
        done = {self._fleet.reload_inventory, self._fleet.reload_index}
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
        """What it changed is taken over as it is reported; the records are read where it does not fit."""
        if self._fleet.record_stored(stored) is not None:
            self._names.on_reading(stored)

    def after_probe(self, switch: str) -> None:
        number = next((number for number, name in self._fleet.switches.items() if name == switch), None)
        if number is not None:
            self._fleet.reload_switches((number,))
