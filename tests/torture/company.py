"""Those who are well-behaved while all around is not: a good switch, a good client, a watch on liveness and
memory. Each notes what it was reported, so that it can be held against what is there afterwards.

They are a process of their own: what is measured is how long the service takes, not how busy those are who
attack it."""

import multiprocessing
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from multiprocessing.connection import Connection

import httpx

from kiteroll.client import Client, ServiceError, ServiceUnreachable, import_readings, readings, switch
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.reading import Port, Reading, key_of
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.memory import resident_mb

LEDGER = "ledger"
"""A switch whose readings are imported by the good client."""
_PORTS = tuple(Port(number=number, name=f"p{number}") for number in range(1, 9))


def document(at: datetime, number: int, name: str = LEDGER) -> ReadingDocument:
    """A reading that differs from the one before."""
    learned = {key_of(0x021A05000000 + number % 50, 10): 1 + number % 8, key_of(0x021A05000100, 20): 1}
    return to_document(Reading(switch=name, taken_at=at, ports=_PORTS, learned=learned))


@dataclass
class Worst:
    """The longest of something, and during which attack it was."""

    seconds: float = 0.0
    during: str = ""

    def note(self, seconds: float, during: str) -> None:
        if seconds > self.seconds:
            self.seconds, self.during = seconds, during


class Watcher(threading.Thread):
    """Does something again and again until it is ended. What it fails with ends the run."""

    def __init__(self, name: str, work: Callable[[], None], every_s: float) -> None:
        super().__init__(name=name, daemon=True)
        self._work, self._every_s = work, every_s
        self._ended = threading.Event()
        self.failure: BaseException | None = None

    def run(self) -> None:
        try:
            while not self._ended.wait(self._every_s):
                self._work()
        except BaseException as failure:
            self.failure = failure

    def end(self) -> None:
        self._ended.set()
        self.join(60)
        if self.failure is not None:
            raise self.failure


@dataclass
class Report:
    acknowledged: set[datetime] = field(default_factory=set)
    lost: set[datetime] = field(default_factory=set)
    refused: int = 0
    liveness: Worst = field(default_factory=Worst)
    lateness: Worst = field(default_factory=Worst)
    memory_mb: int = 0


class Company:
    """The watchers, from the process of who attacks."""

    def __init__(self, url: str, token: str, good: str, interval_s: float) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(
            target=_serve, args=(theirs, url, token, good, interval_s), daemon=True
        )
        self._process.start()

    def phase(self, name: str) -> None:
        """What is tried from now on."""
        self._send("phase", name)

    def away(self) -> None:
        """Service or database is ended on purpose: nobody is expected to answer."""
        self._send("away")

    def back(self, pid: int) -> None:
        """Both are there again; the good switch gets its next turn from now on."""
        self._send("back", pid)

    def end(self) -> Report:
        """What they noted. Raises what one of them failed with."""
        report: Report = self._send("end")  # type: ignore[assignment]
        self._process.join(10)
        return report

    def _send(self, what: str, *args: object) -> object:
        self._pipe.send((what, args))
        answer = self._pipe.recv()
        if isinstance(answer, BaseException):
            raise answer
        return answer


def _serve(pipe: Connection, url: str, token: str, good: str, interval_s: float) -> None:
    watchers = _Watchers(url, token, good, interval_s)
    while True:
        what, args = pipe.recv()
        try:
            pipe.send(getattr(watchers, what)(*args))
        except BaseException as failure:
            pipe.send(failure)
        if what == "end":
            return


@dataclass
class _Watchers:
    url: str
    token: str
    good: str
    interval_s: float
    report: Report = field(default_factory=Report)
    _phase: str = ""
    _pid: int | None = None
    _away: threading.Event = field(default_factory=threading.Event)
    _number: int = 0
    _back_at: float = 0.0
    _watchers: Sequence[Watcher] = ()

    def phase(self, name: str) -> None:
        self._phase = name

    def away(self) -> None:
        self._away.set()

    def back(self, pid: int) -> None:
        self._pid = pid
        self._back_at = time.monotonic()
        self._away.clear()
        if not self._watchers:
            self._start()

    def end(self) -> Report:
        for one in self._watchers:
            one.end()
        with self._client() as client:
            rows = client.each(readings(switch=LEDGER, limit=1000))
            found = {one.taken_at for one in rows if one.outcome == "complete"}
        self.report.lost = {at for at in self.report.acknowledged if at not in found}
        return self.report

    def _start(self) -> None:
        self._watchers = [
            Watcher("liveness", self._look_alive, 0.2),
            Watcher("lateness", self._look_at_the_good_switch, 1.0),
            Watcher("client", self._import_one, 0.3),
            Watcher("memory", self._look_at_memory, 1.0),
        ]
        for one in self._watchers:
            one.start()

    def _client(self) -> Client:
        return Client(self.url, self.token)

    def _look_alive(self) -> None:
        if self._away.is_set():
            return
        began = time.monotonic()
        try:
            httpx.get(f"{self.url}/health/live", timeout=30, trust_env=False).raise_for_status()
        except httpx.TransportError:
            if self._away.is_set():
                return
            raise
        self.report.liveness.note(time.monotonic() - began, self._phase)

    def _look_at_the_good_switch(self) -> None:
        if self._away.is_set():
            return
        try:
            with self._client() as client:
                read_at = client.send(switch(self.good)).read_at
        except KiteRollError:
            return  # no answer, or none while the database is away: the watch on liveness sees it
        if read_at is None or self._away.is_set():
            return
        late = (datetime.now(UTC) - read_at).total_seconds()
        self.report.lateness.note(min(late, time.monotonic() - self._back_at), self._phase)

    def _import_one(self) -> None:
        """Only what was answered with 201 is acknowledged."""
        self._number += 1
        at = datetime.now(UTC)
        at -= timedelta(microseconds=at.microsecond % 1000)  # the API gives milliseconds
        try:
            with self._client() as client:
                (stored,) = client.send(import_readings([document(at, self._number)]))
        except (ServiceError, ServiceUnreachable):
            self.report.refused += 1
            return
        assert stored.outcome == "complete"
        self.report.acknowledged.add(at)

    def _look_at_memory(self) -> None:
        with suppress(OSError):  # it was killed
            self.report.memory_mb = max(self.report.memory_mb, resident_mb(self._pid or "none"))
