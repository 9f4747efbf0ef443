"""The service as its users start it, for what is measured from outside."""

import os
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from tests.support.ports import free_tcp_port


@contextmanager
def running(data: Path, environment: Mapping[str, str] | None = None) -> Iterator[tuple[int, int]]:
    """Its port and its process; it is ended afterwards."""
    port = free_tcp_port()
    command = [sys.executable, "-m", "kiteroll.cli", "up"]
    command += ["--data", str(data), "--listen-port", str(port)]
    process = subprocess.Popen(
        command,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        env={**os.environ, **(environment or {})},
    )
    try:
        yield port, process.pid
    finally:
        process.terminate()
        process.wait(60)
