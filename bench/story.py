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
Titles = dict[tuple[str, str], str]
"""Kind of a finding and what it is about, to its title."""


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data = Path(directory) / "data"
        command = [sys.executable, "-m", "kiteroll.cli", "demo", "--data", str(data)]
        command += ["--listen-port", str(_PORT), "--lab-port", str(_LAB_PORT), f"--story-from={-_START_S}"]
        with (Path(directory) / "log").open("wb") as log:
            demo = subprocess.Popen(command, stdout=log, stderr=log, env=dict(os.environ))
            try:
                seen, latest, explained = _watch(data)
            finally:
                demo.send_signal(signal.SIGTERM)
                demo.wait(60)
        reported = (Path(directory) / "log").read_text()
    _print(seen, latest, explained)
    print(f"tracebacks in the log: {reported.count('Traceback')}")


def _watch(data: Path) -> tuple[Titles, Titles, Titles]:
    """Findings that were no part of another at some time, those that are not in the end, and what explained
    others."""
    seen: Titles = {}
    latest: Titles = {}
    explained: Titles = {}
    began = datetime.now(UTC) + timedelta(seconds=_START_S)
    until = time.monotonic() + _START_S + story.LENGTH_S
    while time.monotonic() < until:
        time.sleep(_LOOK_EVERY_S)
        try:
            token = (data / "token").read_text().strip()
            with Client(f"http://127.0.0.1:{_PORT}", token) as client:
                every = list(
                    client.each(findings(states=("open", "acknowledged", "cleared"), since=began, parts=True))
                )
        except (OSError, KiteRollError):
            continue
        latest = {}
        titles = {one.id: one.title for one in every}
        for one in every:
            mac = None if one.mac is None else MacAddress.parse(one.mac)
            about = one.kind, story.subject_name(one.kind, mac, one.switch or "")
            if one.part_of is None:
                latest[about] = one.title
            else:
                explained[about] = f"explained by: {titles.get(one.part_of, one.part_of)}"
        seen |= latest
    return seen, latest, explained


def _print(seen: Titles, latest: Titles, explained: Titles) -> None:
    expected = story.FINDINGS | story.LIVE_FINDINGS
    print(f"{'kind':20}{'about':20}{'':12}title")
    for about in sorted(expected | seen.keys()):
        if about in expected:
            word = "reported" if about in seen else "MISSING"
        else:
            word = "NOT DUE" if about in latest else "for a while"  # until its explanation came
        print(f"{about[0]:20}{about[1]:20}{word:12}{seen.get(about) or explained.get(about, '')}")
    not_due = latest.keys() - expected
    print(f"{len(expected & seen.keys())} of {len(expected)} reported, {len(not_due)} not due in the end")


if __name__ == "__main__":
    main()
