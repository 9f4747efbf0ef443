"""Queries that people keep, by name: a path of the console with everything that is chosen there."""

from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid
from kiteroll.store import saved_queries
from kiteroll.store.database import Database
from kiteroll.store.saved_queries import SavedQueryRow

__all__ = ["SavedQueries", "SavedQueryRow"]


class SavedQueries:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock

    def all(self, account: str) -> list[SavedQueryRow]:
        return self._database.run(saved_queries.queries_for, account)

    def get(self, number: int, account: str) -> SavedQueryRow:
        """Raises NotFound."""
        return self._database.run(saved_queries.get_query, number, account)

    def add(self, account: str, name: str, path: str, *, shared: bool) -> SavedQueryRow:
        """Raises Invalid or Conflict."""
        _check(path)
        return self._database.run(saved_queries.add_query, account, name, path, shared, self._clock.now())

    def change(self, number: int, account: str, name: str, path: str, *, shared: bool) -> SavedQueryRow:
        """Raises Invalid, NotFound, or Conflict when it is somebody else's."""
        _check(path)
        return self._database.run(saved_queries.change_query, number, account, name, path, shared)

    def remove(self, number: int, account: str) -> None:
        """Raises NotFound, or Conflict when it is somebody else's."""
        self._database.run(saved_queries.remove_query, number, account)


def _check(path: str) -> None:
    """A path of this service alone: a link that is shared must not lead elsewhere."""
    if not path.startswith("/") or path.startswith(("//", "/\\")) or any(ord(one) < 33 for one in path):
        raise Invalid("path: a path of the console with its query, such as /?q=quay-1")
