"""One whole cycle of the demo's story through the running service: each finding of it, and nothing else."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from kiteroll.client import Client, findings
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.mac import MacAddress
from kiteroll.lab import story

_LOOK_EVERY_S = 5.0
_START_S = 120.0
"""Until the history is brought and every switch was read."""
_PORT, _LAB_PORT = 18477, 26100


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data = Path(directory) / "data"
        command = [sys.executable, "-m", "kiteroll.cli", "demo", "--data", str(data)]
        command += ["--listen-port", str(_PORT), "--lab-port", str(_LAB_PORT), f"--story-from={-_START_S}"]
        with (Path(directory) / "log").open("wb") as log:
            demo = subprocess.Popen(command, stdout=log, stderr=log, env=dict(os.environ))
            try:
                seen = _watch(data)
            finally:
                demo.send_signal(signal.SIGTERM)
                demo.wait(60)
        told = (Path(directory) / "log").read_text()
    _print(seen)
    print(f"tracebacks in the log: {told.count('Traceback')}")


def _watch(data: Path) -> dict[tuple[str, str], str]:
    """Kind and subject of every finding that is no part of another, with its title."""
    seen: dict[tuple[str, str], str] = {}
    began = datetime.now(UTC) + timedelta(seconds=_START_S)
    until = time.monotonic() + _START_S + story.LENGTH_S
    while time.monotonic() < until:
        time.sleep(_LOOK_EVERY_S)
        try:
            token = (data / "token").read_text().strip()
            with Client(f"http://127.0.0.1:{_PORT}", token) as client:
                rows = list(client.each(findings(states=("open", "acknowledged", "cleared"), since=began)))
        except (OSError, KiteRollError):
            continue
        for one in rows:
            mac = None if one.mac is None else MacAddress.parse(one.mac)
            seen[one.kind, story.subject_name(mac, one.switch or "")] = one.title
    return seen


def _print(seen: dict[tuple[str, str], str]) -> None:
    expected = story.FINDINGS | story.LIVE_FINDINGS
    print(f"{'kind':20}{'about':16}{'':10}title")
    for kind, subject in sorted(expected | seen.keys()):
        word = "told" if (kind, subject) in expected & seen.keys() else "MISSING"
        word = word if (kind, subject) in expected else "NOT DUE"
        print(f"{kind:20}{subject:16}{word:10}{seen.get((kind, subject), '')}")
    print(f"{len(expected & seen.keys())} of {len(expected)} told, {len(seen.keys() - expected)} not due")


if __name__ == "__main__":
    main()
