"""What changed, and how each reading went."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import former_switches, list_queries
from kiteroll.store.database import Database
from kiteroll.store.list_queries import ChangeRow, ReadingRow
from kiteroll.store.paging import Page

__all__ = ["ChangeFilter", "ChangeRow", "HistoryQueries", "ReadingRow"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeFilter:
    """None and empty leave a criterion out."""

    since: datetime | None = None
    until: datetime | None = None
    switch: str | None = None
    mac: MacAddress | None = None
    kinds: Sequence[str] = ()
    uplinks: bool = True
    """Also changes at ports that were uplinks then."""


class HistoryQueries:
    def __init__(self, database: Database) -> None:
        self._database = database

    def changes(self, wanted: ChangeFilter, ask: PageAsk) -> Page[ChangeRow]:
        """Latest first; also of a switch that left the inventory. Raises NotFound where none had the name."""
        return self._database.run(
            list_queries.changes_page,
            ask,
            since=wanted.since,
            until=wanted.until,
            switch_ids=self._switch_ids(wanted.switch),
            mac=wanted.mac,
            kinds=wanted.kinds,
            uplinks=wanted.uplinks,
        )

    def readings(self, switch: str | None, ask: PageAsk) -> Page[ReadingRow]:
        """Readings and failed tries, latest first; as for `changes`."""
        return self._database.run(list_queries.readings_page, self._switch_ids(switch), ask)

    def _switch_ids(self, name: str | None) -> Sequence[int] | None:
        return None if name is None else self._database.run(former_switches.ids_called, name)
