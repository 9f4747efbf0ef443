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
    writes BIGINT NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4
"""
_FENCE = text("UPDATE service_lease SET writes = writes + 1 WHERE id = 1 AND holder = :me AND epoch = :epoch")
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


class DatabaseLease:
    def __init__(self, database: Database, url: str = "") -> None:
        """`url`: where other services on this database reach whoever holds it."""
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
        self._database.run(_prepare)
        self._epoch = self._take()
        self._renewing = threading.Thread(target=self._renew, name="database-lease", daemon=True)
        self._renewing.start()

    def await_turn(self, on_waiting: Callable[[str], None]) -> None:
        """Stand by until it is free, and the database there, then take it. `on_waiting` is told why it waits,
        once for each reason."""
        told = ""
        while True:
            try:
                self.hold()
                return
            except (Conflict, StorageUnavailable) as why:
                if str(why) != told:
                    told = str(why)
                    on_waiting(told)
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
            self._database.run(_give_back, self._me, self._epoch)
            self._epoch = None

    def fence(self, connection: Connection) -> None:
        """In a transaction that writes: it commits only while the lease is ours. Raises ServiceStopping."""
        if connection.execute(_FENCE, {"me": self._me, "epoch": self._epoch or 0}).rowcount != 1:
            raise ServiceStopping(
                "another service took over the database: nothing more is written by this one"
            )

    def _take(self) -> int:
        """The epoch. Raises Conflict."""
        holder, seen = self._database.run(_state)
        until = time.monotonic() + LEASE_S
        while holder != _FREE and time.monotonic() < until:
            time.sleep(_LOOK_EVERY_S)
            holder, now = self._database.run(_state)
            if now != seen and holder != _FREE:
                raise Conflict(self._in_use(holder))
            seen = now
        epoch = self._database.run(_take_over, self._me, self._url, seen)
        if epoch is None:
            raise Conflict(self._in_use(self._database.run(_state)[0]))
        return epoch

    def _renew(self) -> None:
        """While the database is away nobody else can take the lease over either."""
        while not self._ending.wait(RENEW_EVERY_S):
            try:
                renewed = self._database.run(_renew, self._me, self._epoch)
                if not renewed:
                    self._taken_over = self._in_use(self._database.run(_state)[0])
                    return
            except KiteRollError:
                continue

    def _in_use(self, holder: str) -> str:
        where = holder.rpartition(" (")[0] or "a machine that gave it back just now"
        return (
            f"the database at {self._database.shown_url} is in use by another Kite Roll (at {where}): stop "
            "that one, give this one a database of its own with database.url, or let it stand by with "
            "database.standby"
        )


def holder(connection: Connection) -> LeaseHolder | None:
    """Who has the database; None: nobody has, or no service ever had."""
    if not inspect(connection).has_table("service_lease") or not _has_url(connection):
        return None
    query = "SELECT holder, epoch, url, renewals FROM service_lease WHERE id = 1"
    row = connection.execute(text(query)).one_or_none()
    return None if row is None or row.holder == _FREE else LeaseHolder(row.epoch, row.url, row.renewals)


def _prepare(connection: Connection) -> None:
    connection.execute(text(_TABLE))
    if not _has_url(connection):  # made by a version before; asked first, for a change halts a whole cluster
        column = f"url VARCHAR({_URL_LENGTH}) NOT NULL DEFAULT ''"
        connection.execute(text(f"ALTER TABLE service_lease ADD COLUMN IF NOT EXISTS {column}"))
    row = "INSERT IGNORE INTO service_lease (id, holder, epoch, renewals, writes) VALUES (1, '', 0, 0, 0)"
    connection.execute(text(row))


def _has_url(connection: Connection) -> bool:
    query = "SHOW COLUMNS FROM service_lease LIKE 'url'"
    return connection.execute(text(query)).first() is not None


def _state(connection: Connection) -> tuple[str, int]:
    """Who has it, and how often it was renewed."""
    row = connection.execute(text("SELECT holder, renewals FROM service_lease WHERE id = 1")).one()
    return row.holder, row.renewals


def _take_over(connection: Connection, me: str, url: str, seen: int) -> int | None:
    """None when somebody was faster."""
    query = (
        "UPDATE service_lease SET holder = :me, url = :url, epoch = epoch + 1, renewals = renewals + 1 "
        "WHERE id = 1 AND renewals = :seen"
    )
    if connection.execute(text(query), {"me": me, "url": url, "seen": seen}).rowcount != 1:
        return None
    return int(connection.execute(text("SELECT epoch FROM service_lease WHERE id = 1")).scalar_one())


def _renew(connection: Connection, me: str, epoch: int) -> bool:
    query = (
        "UPDATE service_lease SET renewals = renewals + 1 WHERE id = 1 AND holder = :me AND epoch = :epoch"
    )
    return connection.execute(text(query), {"me": me, "epoch": epoch}).rowcount == 1


def _give_back(connection: Connection, me: str, epoch: int) -> None:
    query = "UPDATE service_lease SET holder = '' WHERE id = 1 AND holder = :me AND epoch = :epoch"
    connection.execute(text(query), {"me": me, "epoch": epoch})
