"""In-memory search index of the labels of addresses."""

import threading
from collections.abc import Iterable, Mapping

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.search.text_index import TextIndex
from kiteroll.store import labels
from kiteroll.store.database import Database
from kiteroll.store.labels import Label


class LabelIndex:
    """What is set here is found at once: it is in an index of its own until all are read anew, as indexing
    a hundred thousand takes too long to do it for each."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._lock = threading.Lock()
        self._index: TextIndex[MacAddress] = TextIndex(())
        self._noted: Mapping[MacAddress, Label] = {}
        self._late: TextIndex[MacAddress] = TextIndex(())

    def find(self, text: str, limit: int) -> list[MacAddress]:
        """At most `limit` addresses whose label or owner holds `text`; those that begin with it first."""
        with self._lock:
            index, noted, late = self._index, self._noted, self._late
        before = index.find(text, 2 * limit + len(noted))
        found = [*late.find(text, 2 * limit), *(mac for mac in before if mac not in noted)]
        return list(dict.fromkeys(found))[:limit]

    def note(self, changed: Iterable[Label]) -> None:
        """These were just recorded."""
        with self._lock:
            self._hold({**self._noted, **{one.mac: one for one in changed}})

    def refresh(self) -> None:
        """Read all anew where some were noted. Raises StorageUnavailable."""
        if self._noted:
            self.reload()

    def reload(self) -> None:
        """Raises StorageUnavailable."""
        noted = self._noted
        index = TextIndex(_texts(self._database.run(labels.all_labels)))
        with self._lock:
            self._index = index
            # What was set meanwhile may not be in it.
            self._hold({mac: one for mac, one in self._noted.items() if noted.get(mac) is not one})

    def _hold(self, noted: Mapping[MacAddress, Label]) -> None:
        self._noted, self._late = noted, TextIndex(_texts(noted.values()))


def _texts(all_labels: Iterable[Label]) -> list[tuple[str, MacAddress]]:
    """Labels and owners, in their order."""
    return sorted((text, one.mac) for one in all_labels for text in (one.label, one.owner) if text)
