"""Opens what is kept: the database, private or named, and the secrets."""

import logging
import threading
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from functools import partial

from sqlalchemy.engine import URL

from kiteroll.app.config import Config
from kiteroll.app.database_watch import PATIENCE_S
from kiteroll.app.logs import fields
from kiteroll.core.errors import ConfigError, StorageUnavailable
from kiteroll.data_dir import KEY_FILE
from kiteroll.store import rounds
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease
from kiteroll.store.migrate import bring_up_to_date, tables_differ
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)
_LOOK_EVERY_S = 1.0
OnWaiting = Callable[[str], None]
"""Called with why a start waits for another service, once for each reason."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Storage:
    database: Database
    """For calls."""
    background: Database
    """For everything else: its connections are there also when calls use all of theirs."""
    watch: Database
    """One connection, to see whether the database is there."""
    vault: Vault
    server: PrivateServer | None
    """The private database server; None where one was named."""
    lease: DatabaseLease | None
    """Of a named database; the private one is held by the lock of its data directory. None where another
    service has it."""


def open_storage(config: Config, stack: ExitStack, on_waiting: OnWaiting) -> Storage:
    """Database and secrets, ready for use. Raises ConfigError, StorageUnavailable or Conflict."""
    try:
        config.data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as wrong:
        raise ConfigError(
            str(config.data_dir), (f"cannot be created: {wrong.strerror} @ data_dir",)
        ) from wrong
    vault = Vault(config.data_dir / KEY_FILE)
    server = lease = None
    url: str | URL = config.database.url
    if not url:
        server = PrivateServer(config.data_dir / "database")
        stack.callback(server.stop)
        url = server.start()
    database, background, watch = _pools(url, stack)
    if server is None:
        lease = DatabaseLease(background, config.node_url)
        stack.callback(_release, lease)
        if config.database.standby:
            lease.await_turn(partial(_stand_by, on_waiting))
        else:
            lease.hold()
    database.check()
    bring_up_to_date(url)
    background.run(rounds.interrupt_running)
    return Storage(
        database=database, background=background, watch=watch, vault=vault, server=server, lease=lease
    )


def open_followed(config: Config, stack: ExitStack, on_waiting: OnWaiting) -> Storage:
    """The same where another service has the database: nothing of it is changed. Waits for the tables of this
    version to be there. Raises ConfigError or Conflict."""
    key_file = config.data_dir / KEY_FILE
    if not config.database.url:
        raise ConfigError("database.url", ("a service that only answers needs the database of another one",))
    if not key_file.exists():
        raise ConfigError(str(key_file), ("copy it from the service whose database it is",))
    database, background, watch = _pools(config.database.url, stack, follows=True)
    await_tables(background, on_waiting)
    return Storage(
        database=database,
        background=background,
        watch=watch,
        vault=Vault(key_file),
        server=None,
        lease=None,
    )


def _pools(url: str | URL, stack: ExitStack, *, follows: bool = False) -> tuple[Database, Database, Database]:
    database = Database(url, overflow=8, answer_s=20, follows=follows)
    background = Database(url, pool_size=6, overflow=6, answer_s=60, follows=follows)
    watch = Database(url, pool_size=1, overflow=0, answer_s=PATIENCE_S, follows=follows)
    for pool in (database, background, watch):
        stack.callback(pool.close)
    return database, background, watch


def await_tables(
    database: Database, on_waiting: OnWaiting = lambda why: None, stopped: threading.Event | None = None
) -> None:
    """Until those of this version are there, which another service makes, or nobody waits any more. Raises
    Conflict when they are of a newer version."""
    stopped = stopped or threading.Event()
    logged = ""
    while not stopped.is_set():
        try:
            database.check()
            why = tables_differ(database)
        except StorageUnavailable as away:
            why = str(away)
        if not why:
            return
        if why != logged:
            logged = why
            on_waiting(why)
            log.warning("waits for the database", extra=fields("service.waits", reason=why))
        stopped.wait(_LOOK_EVERY_S)


def _stand_by(on_waiting: OnWaiting, why: str) -> None:
    on_waiting(why)
    log.warning("stands by until the database is free", extra=fields("service.standby", reason=why))


def _release(lease: DatabaseLease) -> None:
    try:
        lease.release()
    except StorageUnavailable as away:
        log.warning("the lease of the database runs out", extra=fields("lease.kept", error=str(away)))
