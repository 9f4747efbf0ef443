"""A backup of a million stays while readings come in: made, verified, restored, compared; and an upgrade."""

import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.support.ports import free_tcp_port

from bench.filled import fill
from bench.history import ROWS, SWITCHES, client, feed, statements
from bench.measure import row
from kiteroll.store import dump
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer

ENDED = int(os.environ.get("KITEROLL_BENCH_STAYS", "500000"))
"""Beside as many that are open as there are addresses."""
_FED = 100
"""Readings that came in before the backup begins; they go on coming."""
_OLDEST = "0001"
PASSPHRASE = "the ferry sails at nine"


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data, again, file = (Path(directory) / name for name in ("data", "again", "kite.zip"))
        data.mkdir()
        fill(data / "database", statements(ENDED))
        port = free_tcp_port()
        service = _kiteroll("up", "--data", str(data), "--listen-port", str(port))
        try:
            with client(port, data) as http:
                spawned = multiprocessing.get_context("spawn")
                stop = spawned.Event()
                feeder = spawned.Process(target=feed, args=(port, data, stop))
                feeder.start()
                while len(http.get("/readings", params={"limit": _FED}).json()["items"]) < _FED:
                    time.sleep(0.5)
                _time(f"backup of {SWITCHES * ROWS + ENDED:,} stays", "make", str(file), "--data", str(data))
                stop.set()
                feeder.join()
        finally:
            service.terminate()
            service.wait(60)
        row("the file", f"{file.stat().st_size / 1e6:.0f} MB")
        _time("verify it, restored on trial", "verify", str(file))
        _time("restore it", "restore", str(file), "--data", str(again))
        _compare(data, again)
        _upgrade(Path(directory) / "old")


def _upgrade(data: Path) -> None:
    """From the first tables there were, with as much in them."""
    fill(data / "database", statements(ENDED), _OLDEST)
    server = PrivateServer(data / "database")
    database = Database(server.start(), pool_size=1)
    try:
        began = time.perf_counter()
        migrate(database)
        row("upgrade from the oldest tables", f"{time.perf_counter() - began:.1f} s wall")
        assert database.run(dump.row_counts)["stay"] == SWITCHES * ROWS + ENDED
    finally:
        database.close()
        server.stop()


def _compare(data: Path, again: Path) -> None:
    """What came in after the dump began is in the one alone."""
    before, after = _counts(data), _counts(again)
    for table in sorted(before):
        if before[table] or after[table]:
            row(f"rows of {table}", f"{after[table]:,} restored", f"{before[table]:,} at the end")
            assert after[table] <= before[table] + (table == "audit_entry"), table


def _counts(data: Path) -> dict[str, int]:
    server = PrivateServer(data / "database")
    database = Database(server.start(), pool_size=1)
    try:
        return database.run(dump.row_counts)
    finally:
        database.close()
        server.stop()


def _time(label: str, *words: str) -> None:
    began = time.perf_counter()
    process = _kiteroll("backup", *words)
    process.communicate(f"{PASSPHRASE}\n".encode())
    assert process.returncode == 0, words
    row(label, f"{time.perf_counter() - began:.0f} s wall")


def _kiteroll(*words: str) -> "subprocess.Popen[bytes]":
    return subprocess.Popen(
        [sys.executable, "-m", "kiteroll.cli", *words],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


if __name__ == "__main__":
    main()
