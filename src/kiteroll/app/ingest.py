"""Where readings become records: one thread in which the tracker and the store go step by step."""

import asyncio
import logging
import threading
from collections import deque
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from datetime import datetime
from itertools import groupby
from operator import itemgetter
from typing import TypeVar

from kiteroll.app.events import AddressProbed, EndpointsForgotten, EventBus, ReadingFailed, ReadingStored
from kiteroll.app.logs import fields
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import (
    DeviceError,
    DeviceRefused,
    KiteRollError,
    ServiceStopping,
    StorageUnavailable,
    TrackedElsewhere,
)
from kiteroll.core.model.changes import Appeared, Moved
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.core.search.address_index import AddressIndex
from kiteroll.core.tracking.admission import Admission
from kiteroll.core.tracking.followed_switch import changes_between
from kiteroll.core.tracking.switch_health import SwitchHealth
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store import (
    groups,
    inventory,
    retention,
    stay_queries,
    tracked_state,
    tracked_switches,
)
from kiteroll.store.area_lease import SERVICE_STAYS
from kiteroll.store.bulk import chunks
from kiteroll.store.database import Database
from kiteroll.store.reading_writer import Fence, ReadingWriter

log = logging.getLogger(__name__)
T = TypeVar("T")
Outcome = ReadingStored | ReadingFailed

_RETRY_S = 1.0
_LONGEST_ERROR = 2000
_FORGOTTEN_AT_ONCE = 50_000


class ReadingIngestor:
    """Everything that touches the tracker runs here, one thing at a time.

    While the database is away the reading in hand is tried again and again, and those behind it
    wait, which in turn holds back the poller: nothing piles up and nothing is skipped.
    """

    def __init__(
        self,
        database: Database,
        rules: TrackingRules,
        bus: EventBus,
        fence: Fence | None = None,
        stays: range = SERVICE_STAYS,
        area: str = "",
    ) -> None:
        """`fence`: in each transaction that writes, lets it commit only while the switch is ours. `stays`:
        numbers of stays that are ours to give. `area`: whose tracker we are; empty: we are the service."""
        self._database = database
        self._writer = ReadingWriter(database, fence)
        self._hold_time = rules.hold_time
        self._stays = stays
        self._area = area
        self._admission = Admission(rules.limits)
        self._bus = bus
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="ingest")
        self._urgent: deque[Callable[[], None]] = deque()
        self._stopping = threading.Event()
        self.tracker = Tracker(hold=rules.hold_time)
        self.switches: dict[int, str] = {}
        """Id to name of the inventory. Replaced, never changed, so that others may iterate over it."""
        self.elsewhere: frozenset[int] = frozenset()
        """Ids of those that another one tracks: nothing is written of them from here. Changed in a turn."""
        self.index = AddressIndex()
        self.latest_at: datetime | None = None
        """When the latest reading was taken that was stored before this start."""
        self.storage_problem: str | None = None

    def load(self, of: Collection[int] | None = None) -> None:
        """Take up where the records left off: open stays, checkpoints, known addresses. `of`: these switches
        alone, by id."""
        next_stay = self._database.run(tracked_state.next_stay_id, self._stays)
        tracker = Tracker(hold=self._hold_time, next_stay=next_stay)
        rows = self._restore(tracker, of)
        tracker.set_hold_times(self._database.run(groups.hold_times))
        self.tracker = tracker
        self.latest_at = max((row.last_at for row in rows if row.last_at), default=None)
        self.switches = {row.id: row.name for row in rows}
        self.elsewhere = frozenset(row.id for row in rows if row.tracked_in != self._area)
        self.index = AddressIndex(self._database.run(stay_queries.all_macs))
        self._writer.forget()

    def _restore(self, tracker: Tracker, of: Collection[int] | None) -> list[inventory.SwitchRow]:
        switches = {row.id: row for row in self._database.run(inventory.all_switches, of)}
        ports = self._database.run(tracked_state.port_numbers_by_switch, of)
        first = self._database.run(tracked_state.first_readings, of)
        left = dict(switches)
        for switch_id, stays in groupby(self._database.stream(tracked_state.open_stays, of), itemgetter(0)):
            if (row := left.pop(switch_id, None)) is not None:
                names = ports.get(switch_id, {})
                known, first_at = map(itemgetter(1), stays), first.get(switch_id)
                tracker.restore(row.name, row.checkpoint, names, known, row.ageing, first_at)
        for switch_id, row in left.items():
            tracker.restore(row.name, row.checkpoint, ports.get(switch_id, {}), (), row.ageing)
        return list(switches.values())

    async def ingest(self, result: PollResult) -> Outcome | None:
        """Store a result; returns once it is committed. None when its switch left the inventory, or was
        renamed, meanwhile. Raises ServiceStopping when the service ends first."""
        return await self.run_in_turn(self._ingest, result)

    async def ingest_late(self, result: PollResult) -> None:
        """Note a reading that is not later than one that was stored before, or a try that failed; where it is
        that one, nothing happens."""
        await self.run_in_turn(self._ingest_late, result)

    async def ingest_probe(self, switch_id: int, name: str, reading: Reading) -> None:
        """Store what a probe of one address showed."""
        await self.run_in_turn(self._ingest_probe, switch_id, name, reading)

    async def run_in_turn(self, work: Callable[..., T], *args: object) -> T:
        """Run `work` in the ingestor's turn. Cancelling the caller does not cut it off half-way."""
        future = asyncio.get_running_loop().run_in_executor(self._thread, self._turn, work, *args)
        future.add_done_callback(_seen)  # also where whoever asked does not wait for it any more
        return await asyncio.shield(future)

    async def change(self, work: Callable[[], T]) -> T:
        """Run a change of the inventory in the ingestor's next turn: a person waits for it, so it goes before
        readings that do. Raises StorageUnavailable at once while readings wait for the database."""
        if self.storage_problem is not None:
            raise StorageUnavailable(self.storage_problem)
        future: Future[T] = Future()
        self._urgent.append(lambda: _settle(future, work))
        # Whoever's turn comes next does it first; this one sees to it that there is a next one.
        self._thread.submit(self._run_urgent)
        return await asyncio.shield(asyncio.wrap_future(future))

    def _turn(self, work: Callable[..., T], *args: object) -> T:
        self._run_urgent()
        return work(*args)

    def _run_urgent(self) -> None:
        while self._urgent:
            self._urgent.popleft()()

    # The following are for work that runs in the ingestor's turn.

    def forget_endpoints(self, macs: Sequence[MacAddress]) -> None:
        """The records of these were deleted; those of some may have been made again."""
        for some in chunks(macs, _FORGOTTEN_AT_ONCE):
            self.index.remove(set(some) - self._database.run(retention.known_again, some))
        if macs:
            self._bus.publish(EndpointsForgotten())

    def reload_index(self) -> None:
        """Another service deleted records of endpoints."""
        self.index = AddressIndex(self._database.run(stay_queries.all_macs))

    def reload_switches(self, of: Collection[int]) -> None:
        """Some switches anew where the records left them, by id; the others are left as they are."""
        rows = self._restore(self.tracker, of)
        self.switches = {**self.switches, **{row.id: row.name for row in rows}}
        others = frozenset(row.id for row in rows if row.tracked_in != self._area)
        self.elsewhere = (self.elsewhere - frozenset(of)) | others
        for number in of:
            self._writer.forget(number)

    def reload_switch(self, switch_id: int) -> None:
        self.reload_switches((switch_id,))

    def give(self, of: Collection[int], area: str) -> None:
        """From now on the tracker of this area has these switches. Raises StorageUnavailable."""
        self._database.run(tracked_switches.give_switches, of, area)
        self.elsewhere |= frozenset(of)

    def reclaim(self, of: Collection[int]) -> None:
        """From now on we have these, which a tracker had. Raises StorageUnavailable."""
        self._database.run(tracked_switches.give_switches, of, "")
        self.reload_switches(of)

    def follow(self, event: ReadingStored) -> None:
        """The tracker of an area stored a reading: have the same here, and tell of it as if we had stored it.
        Raises StorageUnavailable."""
        if (taken_over := self.record_stored(event)) is not None:
            self._bus.publish(taken_over)

    def record_stored(self, event: ReadingStored) -> ReadingStored | None:
        """Have what another one stored here, too. Returns what is new by it, None for a switch that is not
        there under this name. Raises StorageUnavailable."""
        name, at = event.switch, event.summary.taken_at
        if self.switches.get(event.switch_id) != name:
            return None
        known = self.tracker.checkpoint(name).last_at
        changes = event.changes
        if known == event.before:
            names = None if event.ports is None else {port.number: port.name for port in event.ports}
            self.tracker.follow(name, changes, event.checkpoint, names, event.summary.ageing)
        elif known is None or known < at:
            # What came before was not heard here: the records have it.
            before = self.tracker.state(name)
            self.reload_switches((event.switch_id,))
            told = {(one.mac, one.place) for one in changes if isinstance(one, Appeared | Moved)}
            missed = changes_between(name, before, self.tracker.state(name), at)
            changes += tuple(one for one in missed if (one.mac, one.place) not in told)
        appeared = [change.mac for change in changes if isinstance(change, Appeared)]
        unknown = frozenset(mac for mac in appeared if mac not in self.index)
        self.index.add(appeared)
        return replace(event, changes=changes, unknown=unknown)

    def reload_inventory(self) -> None:
        """Take up which switches there are, as another service recorded it."""
        before, rows = self.switches, self._database.run(inventory.all_switches)
        self.switches = {row.id: row.name for row in rows}
        for number, name in before.items():
            if number not in self.switches:
                self.tracker.drop(name)
            elif self.switches[number] != name:
                self.tracker.rename(name, self.switches[number])
        if new := self.switches.keys() - before.keys():
            self.reload_switches(new)
        self.reload_hold_times()

    def reload_hold_times(self) -> None:
        self.tracker.set_hold_times(self._database.run(groups.hold_times))

    def name_switch(self, switch_id: int, name: str) -> None:
        """A switch was added, or has another name."""
        if (before := self.switches.get(switch_id)) is not None and before != name:
            self.tracker.rename(before, name)
        self.switches = {**self.switches, switch_id: name}

    def drop_switch(self, switch_id: int) -> None:
        self.switches = {number: name for number, name in self.switches.items() if number != switch_id}

    def stop(self) -> None:
        """Finish what is being written, drop what waits."""
        self._stopping.set()
        self._thread.shutdown(wait=True, cancel_futures=True)

    def _check_ours(self, switch_id: int, name: str) -> None:
        """Raises TrackedElsewhere."""
        if switch_id in self.elsewhere:
            raise TrackedElsewhere(
                f"{name} is tracked by the tracker of its area: its readings come from collectors of its site"
            )

    def _ingest(self, result: PollResult) -> Outcome | None:
        self._check_ours(result.switch, result.name)
        if self.switches.get(result.switch) != result.name:
            return None
        outcome = result.outcome
        event: Outcome
        if isinstance(outcome, Reading):
            try:
                event = self._store_reading(result, outcome)
            except TrackedElsewhere:
                self.elsewhere |= {result.switch}  # the tracker here has moved on, and the records have not
                raise
            except StorageUnavailable:
                raise
            except KiteRollError as refused:
                self._until_stored(lambda: self.reload_switch(result.switch))
                event = self._store_failure(result, refused)
            except Exception as bug:
                event = self._after_bug(result, bug)
        else:
            event = self._store_failure(result, outcome)
        _log(event)
        self._bus.publish(event)
        return event

    def _store_reading(self, result: PollResult, reading: Reading) -> ReadingStored:
        before = self.tracker.checkpoint(result.name).last_at
        reading, left_out = self._admission.admit(
            reading, self.tracker.new_keys(reading), self.index, len(self.index), first=before is None
        )
        changes = self.tracker.apply(reading)
        checkpoint = self.tracker.checkpoint(result.name)
        self._until_stored(
            lambda: self._writer.write_reading(
                result.switch, reading, changes, checkpoint, result.next_due_at
            )
        )
        appeared = [change.mac for change in changes if isinstance(change, Appeared)]
        unknown = frozenset(mac for mac in appeared if mac not in self.index)
        self.index.add(appeared)
        return ReadingStored(
            switch_id=result.switch,
            switch=result.name,
            summary=ReadingSummary.of(reading),
            ports=reading.ports,
            duration=result.duration,
            changes=changes,
            before=before,
            checkpoint=checkpoint,
            left_out=left_out,
            unknown=unknown,
        )

    def _after_bug(self, result: PollResult, bug: Exception) -> ReadingFailed:
        """A bug of ours, or a record that contradicts the tracker. The tracker has moved on and the
        records have not: that switch begins again from the records rather than drift apart."""
        log.exception("a reading could not be stored", extra=fields("ingest.failed", switch=result.name))
        self._until_stored(lambda: self.reload_switch(result.switch))
        reason = f"its reading could not be stored: {type(bug).__name__}; the service's log has the details"
        return self._store_failure(replace(result, outcome=KiteRollError(reason)), KiteRollError(reason))

    def _store_failure(self, result: PollResult, failure: KiteRollError) -> ReadingFailed:
        event = ReadingFailed(
            switch_id=result.switch,
            switch=result.name,
            at=result.started_at,
            duration=result.duration,
            health=_health_after(failure),
            error=str(failure)[:_LONGEST_ERROR],
        )
        self._until_stored(
            lambda: self._writer.write_failure(
                event.switch_id,
                event.at,
                round(event.duration.total_seconds() * 1000),
                event.health.value,
                event.error,
                result.next_due_at,
            )
        )
        return event

    def _ingest_late(self, result: PollResult) -> None:
        self._check_ours(result.switch, result.name)
        switch, outcome = result.switch, result.outcome
        if isinstance(outcome, Reading):
            self._until_stored(lambda: self._writer.write_late(switch, outcome))
            return
        duration_ms, error = round(result.duration.total_seconds() * 1000), str(outcome)[:_LONGEST_ERROR]
        self._until_stored(
            lambda: self._writer.write_late_failure(switch, result.started_at, duration_ms, error)
        )

    def _ingest_probe(self, switch_id: int, name: str, reading: Reading) -> None:
        if self.switches.get(switch_id) != name or switch_id in self.elsewhere:
            return
        try:
            changes = self.tracker.apply(reading)
            if not changes:
                return
            checkpoint = self.tracker.checkpoint(name)
            self._until_stored(lambda: self._writer.write_probe(switch_id, changes, checkpoint))
        except StorageUnavailable:
            raise
        except Exception:
            log.exception("a probe could not be stored", extra=fields("ingest.probe_failed", switch=name))
            self._until_stored(lambda: self.reload_switch(switch_id))
            return
        self._bus.publish(
            AddressProbed(switch_id=switch_id, switch=name, reading=reading, changes=tuple(changes))
        )

    def _until_stored(self, write: Callable[[], T]) -> T:
        while True:
            if self._stopping.is_set():
                raise ServiceStopping("the service is stopping; nothing was stored")
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


def _seen(future: "asyncio.Future[T]") -> None:
    if not future.cancelled():
        future.exception()


def _settle(future: Future[T], work: Callable[[], T]) -> None:
    """Run `work` for whoever waits for the future; what it raises is theirs."""
    if not future.set_running_or_notify_cancel():
        return
    try:
        future.set_result(work())
    except BaseException as raised:
        future.set_exception(raised)


def import_result(switch_id: int, reading: Reading, next_due_at: datetime | None) -> PollResult:
    """An imported reading, as if it had been polled."""
    return PollResult(
        switch=switch_id,
        name=reading.switch,
        started_at=reading.taken_at,
        duration=reading.duration,
        outcome=reading,
        next_due_at=next_due_at,
    )


def _health_after(failure: KiteRollError) -> SwitchHealth:
    match failure:
        case DeviceRefused():
            return SwitchHealth.REFUSED
        case DeviceError():
            return SwitchHealth.SILENT
        case _:
            return SwitchHealth.FAILED


def _log(event: Outcome) -> None:
    took = round(event.duration.total_seconds(), 3)
    if isinstance(event, ReadingFailed):
        said = fields("collect.failed", switch=event.switch, error=event.error, duration_s=took)
        log.warning("switch not read", extra=said)
        return
    log.info(
        "switch read" if event.summary.complete else "switch read in part",
        extra=fields(
            "collect.read",
            switch=event.switch,
            rows=event.summary.learned,
            changes=event.change_count,
            duration_s=took,
            complete=event.summary.complete,
        ),
    )
