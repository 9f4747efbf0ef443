"""Where readings become records: one thread in which the tracker and the store go step by step."""

import asyncio
import logging
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import groupby
from operator import itemgetter
from typing import TypeVar

from kiteroll.collect.rounds import Attempt
from kiteroll.core.changes import KINDS, Appeared, Change
from kiteroll.core.errors import DeviceError, DeviceRefused, KiteRollError, StorageUnavailable
from kiteroll.core.reading import Reading
from kiteroll.core.search import AddressIndex
from kiteroll.core.tracker import Tracker
from kiteroll.service.logs import fields
from kiteroll.store import holds, inventory, places
from kiteroll.store.database import Database
from kiteroll.store.record import Recorder

log = logging.getLogger(__name__)
T = TypeVar("T")

_RETRY_S = 1.0
Tell = Callable[[Attempt, Sequence[Change]], None]


class Stopping(Exception):
    """The service stops before a reading could be kept; it was acknowledged to nobody."""


class Intake:
    """Everything that touches the tracker runs here, one thing at a time.

    While the database is away the reading in hand is tried again and again, and those behind it
    wait, which in turn holds back the rounds: nothing piles up and nothing is skipped.
    """

    def __init__(self, database: Database, hold: timedelta | None, tell: Tell) -> None:
        self._database = database
        self._recorder = Recorder(database)
        self._hold = hold
        self._tell = tell
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="intake")
        self._stopping = threading.Event()
        self.tracker = Tracker(hold=hold)
        self.switches: dict[int, str] = {}
        """Id to name of the inventory, changed in the intake's turn only."""
        self.index = AddressIndex()
        self.storage_problem: str | None = None

    def load(self) -> None:
        """Take up where the records left off: open stays, marks, known addresses."""
        tracker = Tracker(hold=self._hold, next_stay=self._database.run(inventory.next_stay_id))
        switches = {row.id: row for row in self._database.run(inventory.all_switches)}
        ports = self._database.run(inventory.all_port_numbers)
        by_switch = groupby(self._database.stream(inventory.open_stays), key=itemgetter(0))
        for switch_id, stays in by_switch:
            if (row := switches.get(switch_id)) is not None:
                names = ports.get(switch_id, {})
                tracker.restore(row.name, row.marks, names, map(itemgetter(1), stays))
        for switch_id, row in switches.items():
            if not tracker.knows(row.name):
                tracker.restore(row.name, row.marks, ports.get(switch_id, {}), ())
        tracker.set_holds(self._database.run(holds.holds))
        self.tracker = tracker
        self.switches = {switch_id: row.name for switch_id, row in switches.items()}
        self.index = AddressIndex(self._database.run(places.all_macs))
        self._recorder.forget()

    async def take(self, attempt: Attempt) -> Attempt:
        """Keep an attempt; returns once it is committed. Raises Stopping when the service ends first."""
        return await self.submit(self._take, attempt)

    async def submit(self, work: Callable[..., T], *args: object) -> T:
        """Run `work` in the intake's turn. Cancelling the caller does not cut it off half-way."""
        future = asyncio.get_running_loop().run_in_executor(self._thread, work, *args)
        return await asyncio.shield(future)

    async def change(self, work: Callable[[], T]) -> T:
        """Run a change of the inventory in the intake's turn. Raises StorageUnavailable at once while
        readings wait for the database: the caller is not to wait with them."""
        if self.storage_problem is not None:
            raise StorageUnavailable(self.storage_problem)
        return await self.submit(work)

    def renew_holds(self) -> None:
        """In the intake's turn: hold times were changed."""
        self.tracker.set_holds(self._database.run(holds.holds))

    def stop(self) -> None:
        """Finish what is being written, drop what waits."""
        self._stopping.set()
        self._thread.shutdown(wait=True, cancel_futures=True)

    def _take(self, attempt: Attempt) -> Attempt:
        outcome = attempt.outcome
        changes: Sequence[Change] = ()
        try:
            if not self._known(attempt):
                return attempt
            if isinstance(outcome, Reading):
                attempt = replace(attempt, first=self.tracker.marks(attempt.name).last_at is None)
                changes = self._take_reading(attempt.switch, outcome, attempt.next_at)
            else:
                self._take_failure(attempt, outcome)
        except Stopping:
            raise
        except Exception:
            # A bug, or a record that contradicts the tracker. The tracker has moved on and the
            # records have not: begin again from the records rather than drift apart.
            log.exception("a reading could not be kept", extra=fields("intake.failed", switch=attempt.name))
            self._keep(self.load)
            fault = KiteRollError(
                f"the reading of {attempt.name} could not be kept: the service's log says why"
            )
            return replace(attempt, outcome=fault)
        attempt = replace(attempt, changes=sum(type(change) in KINDS for change in changes))
        self._log(attempt)
        self._tell(attempt, changes)
        return attempt

    def glimpse(self, switch: int, name: str, reading: Reading) -> Sequence[Change]:
        """Keep what a look at one address told. In the intake's turn."""
        if self.switches.get(switch) != name:
            return ()
        changes = self.tracker.apply(reading)
        if changes:
            marks = self.tracker.marks(name)
            self._keep(lambda: self._recorder.glimpse(switch, changes, marks))
        return changes

    def _take_failure(self, attempt: Attempt, failure: KiteRollError) -> None:
        refused = isinstance(failure, DeviceRefused)
        health = "refused" if refused else "silent" if isinstance(failure, DeviceError) else "failed"
        self._keep(
            lambda: self._recorder.failure(
                attempt.switch,
                attempt.started_at,
                round(attempt.duration.total_seconds() * 1000),
                health,
                str(failure),
                attempt.next_at,
            )
        )

    def _take_reading(self, switch: int, reading: Reading, next_at: datetime | None) -> Sequence[Change]:
        changes = self.tracker.apply(reading)
        marks = self.tracker.marks(reading.switch)
        self._keep(lambda: self._recorder.reading(switch, reading, changes, marks, next_at))
        self.index.add(change.mac for change in changes if isinstance(change, Appeared))
        return changes

    def _known(self, attempt: Attempt) -> bool:
        """Whether the switch is in the inventory under this name: one that was removed or renamed
        while it was being read leaves no trace of that reading."""
        return self.switches.get(attempt.switch) == attempt.name

    def _keep(self, write: Callable[[], T]) -> T:
        while True:
            if self._stopping.is_set():
                raise Stopping
            try:
                result = write()
            except StorageUnavailable as away:
                if self.storage_problem is None:
                    log.error("database away, readings wait", extra=fields("store.away", error=str(away)))
                self.storage_problem = str(away)
                self._stopping.wait(_RETRY_S)
            else:
                if self.storage_problem is not None:
                    log.info("database back", extra=fields("store.back"))
                self.storage_problem = None
                return result

    @staticmethod
    def _log(attempt: Attempt) -> None:
        outcome = attempt.outcome
        took = round(attempt.duration.total_seconds(), 3)
        if isinstance(outcome, Reading):
            log.info(
                "switch read" if outcome.complete else "switch read in part",
                extra=fields(
                    "collect.read",
                    switch=attempt.name,
                    rows=len(outcome.learned),
                    changes=attempt.changes,
                    duration_s=took,
                    complete=outcome.complete,
                ),
            )
        else:
            log.warning(
                "switch not read",
                extra=fields("collect.failed", switch=attempt.name, error=str(outcome), duration_s=took),
            )
