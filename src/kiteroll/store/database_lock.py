"""Locks a database for one service at a time: two would number stays alike and overwrite each other."""

import hashlib
import threading

from sqlalchemy import Connection, text
from sqlalchemy.exc import DBAPIError

from kiteroll.core.errors import Conflict
from kiteroll.store.database import Database

RENEW_EVERY_S = 60.0
_SILENT_S = 180
"""After this long without a sign of life the server releases the lock: the machine of its holder is gone."""


class DatabaseLock:
    """A named lock of the server (GET_LOCK), held by a connection of its own for as long as it lives."""

    def __init__(self, database: Database) -> None:
        self._database = database
        name = hashlib.sha256((database.url.database or "").encode()).hexdigest()[:32]
        self._name = f"kiteroll-{name}"
        self._connection: Connection | None = None
        self._lock = threading.Lock()

    def hold(self) -> None:
        """Take it, or make sure that it is still ours; again where the connection was lost meanwhile.

        Raises Conflict when another service has it, StorageUnavailable."""
        with self._lock:
            self._database.twice_if_lost(self._acquire)

    def release(self) -> None:
        with self._lock:
            self._close()

    def _acquire(self) -> None:
        try:
            if self._connection is None:
                self._connection = self._connect()
            holder = self._holder(self._connection)
        except DBAPIError:
            self._close()
            raise
        if holder is not None:
            self._close()
            raise Conflict(
                f"the database at {self._database.shown_url} is in use by another Kite Roll"
                f"{f' (connected from {holder})' if holder else ''}: stop that one, or give this one a "
                "database of its own with database.url"
            )

    def _connect(self) -> Connection:
        """One that the pool does not count and never lends out."""
        connection = self._database.engine.connect().execution_options(isolation_level="AUTOCOMMIT")
        connection.detach()
        connection.execute(text(f"SET SESSION wait_timeout = {_SILENT_S}"))
        return connection

    def _holder(self, connection: Connection) -> str | None:
        """Who else has it, as far as that can be told; None once it is ours."""
        # A lock that the session has already is simply taken once more.
        if connection.execute(text("SELECT GET_LOCK(:name, 0)"), {"name": self._name}).scalar() == 1:
            return None
        query = "SELECT host FROM information_schema.processlist WHERE id = IS_USED_LOCK(:name)"
        return connection.execute(text(query), {"name": self._name}).scalar() or ""

    def _close(self) -> None:
        if self._connection is not None:
            self._connection.invalidate()
            self._connection.close()
            self._connection = None
