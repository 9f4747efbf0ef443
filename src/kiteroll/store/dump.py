"""Dumps a database to SQL, and loads one, with the server's own programs (package mariadb-client)."""

import subprocess
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

from sqlalchemy import Connection, inspect, text
from sqlalchemy.engine import URL

from kiteroll.core.errors import Conflict, StorageUnavailable
from kiteroll.private_file import write_private
from kiteroll.store.database import Database
from kiteroll.store.private_server import program

_CHUNK = 1 << 20
_MARK = "restore_unfinished"
"""A table that is there while a restore is; a service does not start on what was cut off."""


def dump(url: URL, write: Callable[[bytes], object]) -> None:
    """The whole database as of one instant, while it is used. Raises StorageUnavailable or ConfigError."""
    words = ("--single-transaction", "--quick", "--no-tablespaces", "--hex-blob", "--skip-lock-tables")
    with _options(url) as options, tempfile.TemporaryFile() as errors:
        command = [program("mariadb-dump"), options, *words, url.database or ""]
        with subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=errors
        ) as process:
            try:
                assert process.stdout is not None
                while piece := process.stdout.read(_CHUNK):
                    write(piece)
            except BaseException:
                process.kill()
                raise
        _check(process.returncode, errors, "mariadb-dump")


def load(database: Database, source: IO[bytes]) -> None:
    """Into a database without tables; a service does not start on it before all of it is there. Raises
    Conflict, StorageUnavailable or ConfigError."""
    if found := database.run(_tables):
        raise Conflict(
            f"the database at {database.shown_url} is not empty (it has {len(found)} tables): restore into a "
            "new data directory, or say --replace"
        )
    database.run(_execute, f"CREATE TABLE {_MARK} (since TIMESTAMP)")
    with _options(database.url) as options, tempfile.TemporaryFile() as errors:
        command = [program("mariadb"), options, "--batch", database.url.database or ""]
        with subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=errors
        ) as process:
            assert process.stdin is not None
            try:
                while piece := source.read(_CHUNK):
                    process.stdin.write(piece)
                process.stdin.close()
            except BrokenPipeError:
                with suppress(BrokenPipeError):
                    process.stdin.close()  # it ended, and says why
            except BaseException:
                process.kill()
                raise
        _check(process.returncode, errors, "mariadb")
    database.run(_execute, f"DROP TABLE {_MARK}")


def drop_everything(database: Database) -> None:
    """Every table, whatever is in it."""
    found = database.run(_tables)
    drops = (f"DROP TABLE IF EXISTS `{name}`" for name in found)
    database.run(_execute, "SET FOREIGN_KEY_CHECKS = 0", *drops, "SET FOREIGN_KEY_CHECKS = 1")


def check_whole(connection: Connection) -> None:
    """Raises Conflict where a restore was cut off."""
    if inspect(connection).has_table(_MARK):
        raise Conflict(
            "a restore into this database was cut off: run it again, with --replace "
            "(`kiteroll backup restore FILE --replace`)"
        )


def row_counts(connection: Connection) -> dict[str, int]:
    """By table."""
    return {
        name: int(connection.execute(text(f"SELECT COUNT(*) FROM `{name}`")).scalar_one())
        for name in _tables(connection)
    }


def _tables(connection: Connection) -> list[str]:
    return sorted(inspect(connection).get_table_names())


def _execute(connection: Connection, *statements: str) -> None:
    for one in statements:
        connection.execute(text(one))


@contextmanager
def _options(url: URL) -> Iterator[str]:
    """Where to connect and as whom, in a file that only we can read: the command line is for everybody."""
    with tempfile.TemporaryDirectory() as directory:
        file = Path(directory) / "options"
        password = (url.password or "").replace("\\", "\\\\").replace('"', '\\"')
        write_private(
            file,
            f'[client]\nhost="{url.host or "127.0.0.1"}"\nport={url.port or 3306}\nuser="{url.username}"\n'
            f'password="{password}"\nprotocol=tcp\ndefault-character-set=utf8mb4',
        )
        yield f"--defaults-file={file}"


def _check(code: int, errors: IO[bytes], name: str) -> None:
    if code:
        errors.seek(0)
        output = errors.read(4000).decode(errors="replace").strip().splitlines()
        raise StorageUnavailable(
            f"{name} failed (exit {code}): {' | '.join(output[-3:]) or 'it says nothing'}"
        )
