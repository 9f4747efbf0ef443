"""What would keep the service from starting, or soon would: looked at without starting it."""

import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import StrEnum
from pathlib import Path

from sqlalchemy import Connection, text

from kiteroll.app import data_lock
from kiteroll.app.certificates import ends_at
from kiteroll.app.config import Config
from kiteroll.app.workers.notification_reader import bind
from kiteroll.clock import Clock
from kiteroll.core.errors import ConfigError, Conflict, KiteRollError
from kiteroll.data_dir import KEY_FILE, TOKEN_FILE
from kiteroll.store.database import Database
from kiteroll.store.migrate import known_revisions, revision_of
from kiteroll.store.private_server import program

_SOON = timedelta(days=21)
_APART = timedelta(seconds=2)
_LITTLE = 2_000_000_000
"""Octets free that are few."""
_PATIENCE_S = 10
_OTHERS = 0o077


class Verdict(StrEnum):
    OK = "ok"
    WARNING = "warning"
    WRONG = "wrong"


@dataclass(frozen=True, slots=True)
class Check:
    what: str
    verdict: Verdict
    found: str


def preflight(config: Config, clock: Clock, listen: Callable[[], str]) -> list[Check]:
    """`listen`: opens and closes what it would listen on, and says where; raises what that raises."""
    running = _in_use(config.data_dir)
    parts: tuple[tuple[str, Callable[[], Iterator[Check]]], ...] = (
        ("data directory", lambda: _data_directory(config.data_dir, running)),
        ("listening", lambda: _listening(listen, running)),
        ("certificate", lambda: _certificate(config, clock.now())),
        ("database", lambda: _database(config, clock)),
        ("notifications", lambda: _notifications(config, running)),
    )
    found = []
    for what, look in parts:
        try:
            found += list(look())
        except KiteRollError as wrong:
            found.append(Check(what, Verdict.WRONG, str(wrong)))
    return found


def _in_use(data_dir: Path) -> str:
    """Says so where a service runs on it; empty where none does."""
    if not data_dir.exists():
        return ""
    try:
        with data_lock.held(data_dir):
            return ""
    except Conflict as taken:
        return str(taken)
    except ConfigError:
        return ""  # shown as the data directory's


def _data_directory(data_dir: Path, running: str) -> Iterator[Check]:
    what = "data directory"
    if not data_dir.exists():
        parent = next(one for one in data_dir.absolute().parents if one.exists())
        may = os.access(parent, os.W_OK)
        found = f"{data_dir} is not there yet; it {'is' if may else 'cannot be'} made at the start"
        yield Check(what, Verdict.OK if may else Verdict.WRONG, found)
        return
    if not os.access(data_dir, os.W_OK | os.X_OK):
        yield Check(what, Verdict.WRONG, f"{data_dir} cannot be written by this user")
        return
    free = shutil.disk_usage(data_dir).free
    verdict = Verdict.WARNING if free < _LITTLE else Verdict.OK
    yield Check(what, verdict, running or f"{data_dir}, {free / 1e9:.1f} GB free")
    for name in (KEY_FILE, TOKEN_FILE):
        file = data_dir / name
        if file.exists() and file.stat().st_mode & _OTHERS:
            yield Check(what, Verdict.WARNING, f"{file} can be read by others: chmod 600 {file}")


def _listening(listen: Callable[[], str], running: str) -> Iterator[Check]:
    try:
        yield Check("listening", Verdict.OK, listen())
    except Conflict as taken:
        if not running:
            raise
        yield Check("listening", Verdict.OK, f"in use, as the service runs ({taken})")


def _certificate(config: Config, now: datetime) -> Iterator[Check]:
    file = config.certificate_file
    if file is None:
        yield Check("certificate", Verdict.OK, "none: it speaks plain HTTP")
    elif config.listen.self_signed and not file.exists():
        yield Check("certificate", Verdict.OK, "made at the start, signed by itself")
    else:
        ends = ends_at(file)
        found = f"{file} {'ended' if ends <= now else 'ends'} {ends:%Y-%m-%d}"
        verdict = Verdict.WRONG if ends <= now else Verdict.WARNING if ends - now < _SOON else Verdict.OK
        yield Check("certificate", verdict, found)


def _database(config: Config, clock: Clock) -> Iterator[Check]:
    if not config.database.url:
        yield Check("database", Verdict.OK, f"a private server, by {program('mariadbd')}")
        return
    database = Database(config.database.url, pool_size=1, answer_s=_PATIENCE_S)
    try:
        database.check()
        revision, theirs = database.run(_state)
    finally:
        database.close()
    if revision is None:
        tables = "no tables yet: they are made at the start"
    elif revision not in known_revisions():
        why = f"its tables are at revision {revision}, of a newer Kite Roll: start the newer version"
        yield Check("database", Verdict.WRONG, why)
        return
    else:
        tables = f"tables at revision {revision}"
    yield Check("database", Verdict.OK, f"{database.shown_url}: {tables}")
    apart = abs(clock.now() - theirs)
    if apart > _APART:
        seconds = apart.total_seconds()
        yield Check("clock", Verdict.WARNING, f"{seconds:.0f} s apart from that of the database's machine")


def _state(connection: Connection) -> tuple[str | None, datetime]:
    at = connection.execute(text("SELECT UTC_TIMESTAMP(6)")).scalar_one()
    return revision_of(connection), at if at.tzinfo else at.replace(tzinfo=UTC)


def _notifications(config: Config, running: str) -> Iterator[Check]:
    if not config.notifications.enabled:
        return
    where = f"{config.notifications.host} port {config.notifications.port}/udp"
    try:
        bind(config.notifications).close()
        yield Check("notifications", Verdict.OK, where)
    except Conflict:
        if not running:
            raise
        yield Check("notifications", Verdict.OK, f"{where} is in use, as the service runs")
