"""Starts `kiteroll` from a process that has its modules loaded: loading takes most of what a start costs, and
the suite starts some hundred services. What runs is what runs otherwise, from the command line on; that a
program loads on its own is shown by tests that start it anew (tests/service/test_start.py, test_wheels.py).
"""

import atexit
import json
import os
import runpy
import select
import signal
import subprocess
import sys
import threading
from collections.abc import Mapping, Sequence
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

_ROOT = Path(__file__).parents[2]
_LOADED = ("kiteroll.api.server", "kiteroll.cli.up")


class StartedProgram:
    """Of `subprocess.Popen`, what tests use. It is the child of another process."""

    def __init__(self, starter: "ProgramStarter", pid: int) -> None:
        self._starter = starter
        self.pid = pid
        self._ends = os.pidfd_open(pid)
        self.returncode: int | None = None

    def poll(self) -> int | None:
        if self.returncode is None and select.select([self._ends], [], [], 0)[0]:
            self.returncode = self._starter.code_of(self.pid)
            os.close(self._ends)
        return self.returncode

    def wait(self, timeout: float | None = None) -> int:
        """Raises subprocess.TimeoutExpired."""
        if self.returncode is None:
            select.select([self._ends], [], [], timeout)
        code = self.poll()
        if code is None:
            raise subprocess.TimeoutExpired("kiteroll", timeout or 0)
        return code

    def send_signal(self, number: signal.Signals) -> None:
        if self.poll() is None:
            os.kill(self.pid, number)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class ProgramStarter:
    def __init__(self) -> None:
        command = [sys.executable, "-m", "tests.support.program_starter"]
        self._process = subprocess.Popen(
            command, cwd=_ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1
        )
        self._lock = threading.Lock()
        atexit.register(self._end)

    def start(self, words: Sequence[str], environment: Mapping[str, str], log: Path) -> StartedProgram:
        """`kiteroll` with these words; what it prints is appended to `log`."""
        log.touch()  # whoever reads it need not wait for the program
        asked = {"words": list(words), "environment": dict(environment)}
        asked |= {"log": str(log), "directory": str(Path.cwd())}
        return StartedProgram(self, self._ask({"start": asked})["pid"])

    def code_of(self, pid: int) -> int:
        """Of one that ended; negative: minus the signal that ended it."""
        return os.waitstatus_to_exitcode(self._ask({"ended": pid})["status"])

    def _ask(self, what: dict[str, Any]) -> dict[str, int]:
        assert self._process.stdin is not None and self._process.stdout is not None
        with self._lock:
            self._process.stdin.write(f"{json.dumps(what)}\n")
            answer: dict[str, int] = json.loads(self._process.stdout.readline())
        return answer

    def _end(self) -> None:
        assert self._process.stdin is not None
        with suppress(BrokenPipeError):
            self._process.stdin.close()
        self._process.wait(10)


@cache
def starter() -> ProgramStarter:
    """One for all tests of this process."""
    return ProgramStarter()


def _answer_until_it_is_the_program() -> bool:
    """Starts what is asked for. Returns in each child, where it is what was asked for; False at the end."""
    for line in sys.stdin:
        asked = json.loads(line)
        if "ended" in asked:
            answer = {"status": os.waitpid(asked["ended"], 0)[1]}
        elif (pid := os.fork()) == 0:
            _become(asked["start"])
            return True
        else:
            answer = {"pid": pid}
        print(json.dumps(answer), flush=True)
    return False


def _become(asked: Mapping[str, Any]) -> None:
    """This process, with the words, environment and files of the program."""
    log = os.open(asked["log"], os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o666)
    nothing = os.open(os.devnull, os.O_RDONLY)
    for number, file in ((0, nothing), (1, log), (2, log)):
        os.dup2(file, number)
    os.chdir(asked["directory"])
    os.environ.clear()
    os.environ.update(asked["environment"])
    sys.argv[1:] = asked["words"]


if __name__ == "__main__":
    os.environ["PYDANTIC_DISABLE_PLUGINS"] = "__all__"  # as `kiteroll` sets it before it loads anything
    for module in _LOADED:
        __import__(module)
    assert threading.active_count() == 1, "threads are lost where a process is forked"
    if _answer_until_it_is_the_program():
        runpy.run_module("kiteroll.cli", run_name="__main__", alter_sys=True)
