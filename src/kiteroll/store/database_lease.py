"""Leases a named database to one service at a time: two would number stays alike and overwrite each other.

A row that its holder renews, with an epoch that grows with each take-over. Nobody's clock is asked: who wants
it watches whether it is renewed. So it works on a cluster of servers (Galera) too, where named locks of one
server say nothing to the others; there the row is in the write set of every fenced transaction, so that of
two services that write only one is certified.
"""

import os
import secrets
import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import Connection, inspect, text

from kiteroll.core.errors import Conflict, KiteRollError, ServiceStopping, StorageUnavailable
from kiteroll.store.database import Database

RENEW_EVERY_S = 1.5
LEASE_S = 6.0
"""A lease that is not renewed for so long may be taken over."""
_LOOK_EVERY_S = 0.5

_TABLE = """
CREATE TABLE IF NOT EXISTS service_lease (
    id INT PRIMARY KEY,
    holder VARCHAR(255) NOT NULL,
    epoch BIGINT NOT NULL,
    renewals BIGINT NOT NULL,
    writes BIGINT NOT NULL,
    area VARCHAR(64) COLLATE utf8mb4_bin NOT NULL DEFAULT '',
    UNIQUE KEY (area)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4
"""
_FENCE = text(
    "UPDATE service_lease SET writes = writes + 1 WHERE id = :row AND holder = :me AND epoch = :epoch"
)
_ITS_ROW = 1
"""Of the lease of the whole database; other rows are those of areas (`area_lease`)."""
_FREE = ""
"""Holder of a lease that was given back."""
_URL_LENGTH = 255


@dataclass(frozen=True, slots=True)
class LeaseHolder:
    epoch: int
    url: str
    """Where it answers other services on this database; empty: it does not say."""
    renewals: int
    """Grows for as long as it holds the lease."""


class LeaseInUse(Conflict):
    """Somebody else has it."""

    def __init__(self, fact: str, remedy: str = "") -> None:
        super().__init__(f"{fact}: {remedy}" if remedy else fact)
        self.fact = fact


class DatabaseLease:
    def __init__(self, database: Database, url: str = "") -> None:
        """`url`: where other services on this database reach whoever holds it."""
        self._row = _ITS_ROW
        self._database = database
        self._url = url[:_URL_LENGTH]
        self._me = f"{socket.gethostname()}, process {os.getpid()} ({secrets.token_hex(4)})"
        self._epoch: int | None = None
        self._taken_over: str | None = None
        self._ending = threading.Event()
        self._renewing: threading.Thread | None = None

    def hold(self) -> None:
        """Take it, and renew it from then on in a thread of its own. Where somebody else has it, watch for as
        long as a lease lasts whether it is renewed. Raises Conflict when it is; StorageUnavailable."""
        self._database.run(self._prepare)
        self._taken_over = None
        self._ending.clear()
        self._epoch = self._acquire()
        self._renewing = threading.Thread(target=self._renew, name="database-lease", daemon=True)
        self._renewing.start()

    @property
    def epoch(self) -> int:
        """Of the lease as it was taken; 0: it was not."""
        return self._epoch or 0

    def await_turn(self, on_waiting: Callable[[str], None]) -> None:
        """Stand by until it is free, and the database there, then take it. `on_waiting` is called with why it
        waits, once for each reason."""
        logged = ""
        while True:
            try:
                self.hold()
                return
            except (Conflict, StorageUnavailable) as why:
                reason = why.fact if isinstance(why, LeaseInUse) else str(why)
                if reason != logged:
                    logged = reason
                    on_waiting(reason)
            time.sleep(_LOOK_EVERY_S)

    def check(self) -> None:
        """Raises Conflict when it was taken over."""
        if self._taken_over is not None:
            raise Conflict(self._taken_over)

    def release(self) -> None:
        """So that nobody need wait for it to run out. Raises StorageUnavailable."""
        if self._renewing is not None:
            self._ending.set()
            self._renewing.join()
            self._renewing = None
        if self._epoch is not None:
            self._database.run(_release, self._row, self._me, self._epoch)
            self._epoch = None

    def fence(self, connection: Connection, switch: int) -> None:
        """In a transaction that writes of a switch: it commits only while the lease is ours. Raises
        ServiceStopping."""
        holding = {"row": self._row, "me": self._me, "epoch": self._epoch or 0}
        if connection.execute(_FENCE, holding).rowcount != 1:
            raise ServiceStopping(
                "another service took over the database: nothing more is written by this one"
            )

    def _acquire(self) -> int:
        """The epoch. Raises Conflict."""
        holder, seen = self._database.run(_state, self._row)
        until = time.monotonic() + LEASE_S
        while holder != _FREE and time.monotonic() < until:
            time.sleep(_LOOK_EVERY_S)
            holder, now = self._database.run(_state, self._row)
            if now != seen and holder != _FREE:
                raise self._in_use(holder)
            seen = now
        epoch = self._database.run(_take_over, self._row, self._me, self._url, seen)
        if epoch is None:
            raise self._in_use(self._database.run(_state, self._row)[0])
        return epoch

    def _renew(self) -> None:
        """While the database is away nobody else can take the lease over either."""
        while not self._ending.wait(RENEW_EVERY_S):
            try:
                renewed = self._database.run(_renew, self._row, self._me, self._epoch)
                if not renewed:
                    self._taken_over = str(self._in_use(self._database.run(_state, self._row)[0]))
                    return
            except KiteRollError:
                continue

    def _prepare(self, connection: Connection) -> None:
        prepare_leases(connection)

    def _in_use(self, holder: str) -> LeaseInUse:
        where = shown_holder(holder) or "a machine that gave it back just now"
        return LeaseInUse(
            f"the database at {self._database.shown_url} is in use by another Kite Roll (at {where})",
            "stop that one, give this one a database of its own with database.url, or let it stand by with "
            "database.standby",
        )


def holder(connection: Connection) -> LeaseHolder | None:
    """Who has the database; None: nobody has, or no service ever had."""
    if not inspect(connection).has_table("service_lease") or not _has(connection, "url"):
        return None
    query = "SELECT holder, epoch, url, renewals FROM service_lease WHERE id = 1"
    row = connection.execute(text(query)).one_or_none()
    return None if row is None or row.holder == _FREE else LeaseHolder(row.epoch, row.url, row.renewals)


def shown_holder(holder: str) -> str:
    """Machine and process; empty: it was given back."""
    return holder.rpartition(" (")[0]


def prepare_leases(connection: Connection) -> None:
    """The table, with the row of the whole database."""
    connection.execute(text(_TABLE))
    # Made by a version before; asked first, for a change halts a whole cluster.
    if not _has(connection, "url"):
        column = f"url VARCHAR({_URL_LENGTH}) NOT NULL DEFAULT ''"
        connection.execute(text(f"ALTER TABLE service_lease ADD COLUMN IF NOT EXISTS {column}"))
    if not _has(connection, "area"):
        column = "area VARCHAR(64) COLLATE utf8mb4_bin NOT NULL DEFAULT ''"
        connection.execute(text(f"ALTER TABLE service_lease ADD COLUMN IF NOT EXISTS {column}"))
        connection.execute(text("ALTER TABLE service_lease ADD UNIQUE KEY IF NOT EXISTS area (area)"))
    row = "INSERT IGNORE INTO service_lease (id, holder, epoch, renewals, writes) VALUES (1, '', 0, 0, 0)"
    connection.execute(text(row))


def _has(connection: Connection, column: str) -> bool:
    query = text("SHOW COLUMNS FROM service_lease LIKE :name")
    return connection.execute(query, {"name": column}).first() is not None


def _state(connection: Connection, row: int) -> tuple[str, int]:
    """Who has it, and how often it was renewed."""
    query = text("SELECT holder, renewals FROM service_lease WHERE id = :row")
    found = connection.execute(query, {"row": row}).one()
    return found.holder, found.renewals


def _take_over(connection: Connection, row: int, me: str, url: str, seen: int) -> int | None:
    """None when somebody was faster."""
    query = (
        "UPDATE service_lease SET holder = :me, url = :url, epoch = epoch + 1, renewals = renewals + 1 "
        "WHERE id = :row AND renewals = :seen"
    )
    if connection.execute(text(query), {"row": row, "me": me, "url": url, "seen": seen}).rowcount != 1:
        return None
    query = "SELECT epoch FROM service_lease WHERE id = :row"
    return int(connection.execute(text(query), {"row": row}).scalar_one())


def _renew(connection: Connection, row: int, me: str, epoch: int) -> bool:
    query = (
        "UPDATE service_lease SET renewals = renewals + 1 WHERE id = :row AND holder = :me AND epoch = :epoch"
    )
    return connection.execute(text(query), {"row": row, "me": me, "epoch": epoch}).rowcount == 1


def _release(connection: Connection, row: int, me: str, epoch: int) -> None:
    query = "UPDATE service_lease SET holder = '' WHERE id = :row AND holder = :me AND epoch = :epoch"
    connection.execute(text(query), {"row": row, "me": me, "epoch": epoch})
