"""Exports of half a million stays and endpoints from a running service: speed and memory.

KITEROLL_BENCH_EXPORTS names the files, with blanks between.
"""

import os
import tempfile
import threading
import time
from pathlib import Path

import httpx
from tests.support.memory import resident_mb

from bench.filled import fill
from bench.history import client, statements
from bench.measure import row
from bench.service import running

_EXPORTS = os.environ.get(
    "KITEROLL_BENCH_EXPORTS", "stays.csv stays.jsonl endpoints.csv endpoints.jsonl"
).split()
_SAMPLE_S = 0.1


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data = Path(directory) / "data"
        data.mkdir()
        fill(data / "database", statements(0))
        with running(data) as (port, pid), client(port, data) as http:
            http.get("/search", params={"q": "52:4e"})  # what is loaded at the first question is
            time.sleep(5)
            idle = resident_mb(pid)
            row("idle", f"{idle} MB")
            for file in _EXPORTS:
                _export(http, file, pid, idle)


def _export(http: httpx.Client, file: str, pid: int, idle: int) -> None:
    most, done = [idle], threading.Event()

    def watch() -> None:
        while not done.wait(_SAMPLE_S):
            most[0] = max(most[0], resident_mb(pid))

    watching = threading.Thread(target=watch)
    watching.start()
    began, lines, octets = time.perf_counter(), 0, 0
    with http.stream("GET", f"/exports/{file}", timeout=900) as answer:
        for piece in answer.iter_bytes():
            lines += piece.count(b"\n")
            octets += len(piece)
    took = time.perf_counter() - began
    done.set()
    watching.join()
    rows = lines - file.endswith(".csv")
    row(
        file,
        f"{rows / took:,.0f} rows/s",
        f"{rows:,} rows, {octets / 1e6:.0f} MB; {most[0] - idle:+d} MB memory",
    )
