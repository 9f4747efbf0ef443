"""What operators say of addresses: seen, or not yet."""

from collections.abc import Mapping, Sequence

from kiteroll.app.label_index import LabelIndex
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import labels
from kiteroll.store.database import Database
from kiteroll.store.labels import Label, LabelRow
from kiteroll.store.paging import Page

__all__ = ["Label", "LabelRow", "Labels"]


class Labels:
    def __init__(self, database: Database, index: LabelIndex) -> None:
        self._database = database
        self._index = index

    def page(self, ask: PageAsk, seen: bool | None) -> Page[LabelRow]:
        return self._database.run(labels.labels_page, ask, seen=seen)

    def get(self, mac: MacAddress) -> Label:
        """Raises NotFound."""
        found = self._database.run(labels.labels_of, [mac])
        if mac not in found:
            raise NotFound("label", str(mac), "this address has no label")
        return found[mac]

    def set(self, label: Label) -> None:
        self._record([label])

    def remove(self, mac: MacAddress) -> None:
        """Raises NotFound."""
        self.get(mac)
        self._record([Label(mac)])

    def change(
        self, changes: Mapping[MacAddress, Mapping[str, str] | None], *, dry_run: bool = False
    ) -> list[tuple[Label, Label]]:
        """Change many as one; what is not given stays, None removes. Returns before and after of those that
        differ."""
        before = self._database.run(labels.labels_of, list(changes))
        after = [
            Label(mac) if values is None else labels.changed(before, mac, values)
            for mac, values in changes.items()
        ]
        differing = [(was, now) for now in after if (was := before.get(now.mac, Label(now.mac))) != now]
        if not dry_run:
            self._record([now for _, now in differing])
        return differing

    def _record(self, changed: Sequence[Label]) -> None:
        self._database.run(labels.set_labels, changed)
        self._index.note(changed)
