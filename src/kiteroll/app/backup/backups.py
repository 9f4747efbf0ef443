"""Makes, checks and restores backups: the database, and the keys that open what is sealed in it."""

import logging
import socket
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection
from sqlalchemy.engine import URL

from kiteroll import __version__
from kiteroll.app.backup import archive
from kiteroll.app.backup.archive import Archive, Manifest
from kiteroll.app.backup.wrapping import unwrap, wrap
from kiteroll.app.config import Config
from kiteroll.app.data_lock import held
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.access.audit_chain import verify as verify_chain
from kiteroll.core.errors import ConfigError, Conflict, Invalid
from kiteroll.data_dir import KEY_FILE
from kiteroll.private_file import write_private
from kiteroll.store import audit, dump, outbox
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease
from kiteroll.store.migrate import bring_up_to_date, known_revisions, revision_of
from kiteroll.store.private_server import PrivateServer

log = logging.getLogger(__name__)
_KEY_FILES = (KEY_FILE, "engine.json")
"""Of the data directory. The machine's token is not among them: a new one is made where it is missing."""
_ANSWER_S = 600


@dataclass(frozen=True, slots=True)
class Verified:
    manifest: Manifest
    rows: dict[str, int]
    """By table, as they are once restored; empty when it was not tried."""
    audit_entries: int


def make(config: Config, file: Path, passphrase: str, clock: Clock) -> Manifest:
    """While the service runs, or while it does not. Raises ConfigError, Invalid or StorageUnavailable."""
    keys = wrap(_read_keys(config.data_dir), passphrase)
    with _database(config) as database:
        revision = database.run(revision_of)
        if revision is None:
            raise Invalid(f"there is nothing to back up: {database.shown_url} has no tables of Kite Roll")
        about = {"made_at": clock.now().isoformat(), "version": __version__, "host": socket.gethostname()}
        about["revision"] = revision
        manifest = archive.write(file, lambda put: dump.dump(database.url, put), keys, about)
        _enter(
            database, clock, "backup.make", str(file), f"{manifest.octets} octets, SHA-256 {manifest.sha256}"
        )
    return manifest


def verify(file: Path, passphrase: str | None, *, trial: bool) -> Verified:
    """`passphrase`: None leaves the keys unopened. `trial`: also restore it into a database that is thrown
    away. Raises Invalid, ConfigError or StorageUnavailable."""
    with archive.read(file) as backup:
        backup.check_dump()
        if passphrase is not None:
            unwrap(backup.keys, passphrase)
        if not trial:
            return Verified(backup.manifest, {}, 0)
        with tempfile.TemporaryDirectory() as directory, ExitStack() as stack:
            server = PrivateServer(Path(directory) / "database")
            stack.callback(server.stop)
            database = stack.enter_context(_opened(server.start()))
            _load(database, backup)
            rows = database.run(dump.row_counts)
            bring_up_to_date(database.url)
            verdict = verify_chain(one.plain() for one in database.stream(audit.every_entry))
            if verdict.broken_at is not None:
                raise Invalid(f"the audit log is broken at entry {verdict.broken_at}: {verdict.why}")
            return Verified(backup.manifest, rows, verdict.entries)


def restore(config: Config, file: Path, passphrase: str, clock: Clock, *, replace: bool) -> Manifest:
    """Into the data directory, where no service may run. `replace`: what is there goes. Raises Conflict,
    Invalid, ConfigError or StorageUnavailable."""
    with archive.read(file) as backup:
        backup.check_dump()
        _check_revision(backup.manifest)
        keys = unwrap(backup.keys, passphrase)
        _prepare(config.data_dir)
        with _database_alone(config) as database:
            if replace:
                dump.drop_everything(database)
            _load(database, backup)
            _write_keys(config.data_dir, keys)
            bring_up_to_date(database.url)
            database.run(outbox.mark_restored)
            _enter(database, clock, "backup.restore", str(file), f"made at {backup.manifest.made_at}")
        log.info("backup restored", extra=fields("backup.restored", file=str(file)))
        return backup.manifest


def _load(database: Database, backup: Archive) -> None:
    _check_revision(backup.manifest)
    with backup.dump() as source:
        dump.load(database, source)


def _check_revision(manifest: Manifest) -> None:
    if manifest.revision not in known_revisions():
        raise Conflict(
            f"the backup was made by Kite Roll {manifest.version}, whose tables this version ({__version__}) "
            "does not know: restore it with that version, or a newer one"
        )


@contextmanager
def _database(config: Config) -> Iterator[Database]:
    """The one that is in use; a private server that does not run is started, and stopped again."""
    with ExitStack() as stack:
        url: str | URL = config.database.url
        if not url:
            server = PrivateServer(config.data_dir / "database")
            if not server.running():
                stack.enter_context(held(config.data_dir))
                stack.callback(server.stop)
            url = server.start()
        yield stack.enter_context(_opened(url))


@contextmanager
def _database_alone(config: Config) -> Iterator[Database]:
    """One that no service uses meanwhile. Raises Conflict."""
    with ExitStack() as stack:
        stack.enter_context(held(config.data_dir))
        url: str | URL = config.database.url
        if not url:
            server = PrivateServer(config.data_dir / "database")
            stack.callback(server.stop)
            yield stack.enter_context(_opened(server.start()))
            return
        database = stack.enter_context(_opened(url))
        lease = DatabaseLease(database)
        stack.callback(lease.release)
        lease.hold()
        yield database


@contextmanager
def _opened(url: str | URL) -> Iterator[Database]:
    database = Database(url, pool_size=2, answer_s=_ANSWER_S)
    try:
        database.check()
        yield database
    finally:
        database.close()


def _enter(database: Database, clock: Clock, action: str, subject: str, note: str) -> None:
    def work(connection: Connection) -> None:
        audit.append_own(connection, clock.now(), action, subject, via="machine", note=note)

    database.run(work)


def _read_keys(data_dir: Path) -> dict[str, str]:
    """Raises ConfigError."""
    found: dict[str, str] = {}
    for name in _KEY_FILES:
        try:
            found[name] = (data_dir / name).read_text()
        except FileNotFoundError:
            continue
        except OSError as wrong:
            raise ConfigError(str(data_dir / name), (f"cannot be read: {wrong.strerror}",)) from wrong
    if KEY_FILE not in found:
        why = "is not there: this is no data directory of a service; --data or --config names it"
        raise ConfigError(str(data_dir / KEY_FILE), (why,))
    return found


def _write_keys(data_dir: Path, keys: dict[str, str]) -> None:
    """What was there stays beside it."""
    for name in _KEY_FILES:
        file = data_dir / name
        if name not in keys:
            continue
        if file.exists() and file.read_text() != keys[name]:
            file.replace(file.with_name(f"{name}.before-restore"))
        write_private(file, keys[name].rstrip("\n"))


def _prepare(data_dir: Path) -> None:
    try:
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as wrong:
        raise ConfigError(str(data_dir), (f"cannot be created: {wrong.strerror} @ data_dir",)) from wrong
