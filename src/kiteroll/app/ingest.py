"""Where readings become records: the tracker and the store go step by step."""

import logging
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from kiteroll.app.events import AddressProbed, EndpointsForgotten, EventBus, ReadingFailed, ReadingStored
from kiteroll.app.logs import fields
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import (
    DeviceError,
    DeviceRefused,
    KiteRollError,
    StorageUnavailable,
    TrackedElsewhere,
)
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.core.tracking.admission import Admission, AdmissionLimits
from kiteroll.core.tracking.switch_health import SwitchHealth
from kiteroll.store.reading_writer import ReadingWriter

log = logging.getLogger(__name__)
Outcome = ReadingStored | ReadingFailed

_LONGEST_ERROR = 2000


class ReadingIngestor:
    """Stores one reading after the other, each in a turn of its own, and publishes it."""

    def __init__(
        self, turns: Turns, fleet: TrackedFleet, writer: ReadingWriter, limits: AdmissionLimits, bus: EventBus
    ) -> None:
        self._turns = turns
        self._fleet = fleet
        self._writer = writer
        self._admission = Admission(limits)
        self._bus = bus

    async def ingest(self, result: PollResult) -> Outcome | None:
        """Store a result; returns once it is committed. None when its switch left the inventory meanwhile.
        Raises ServiceStopping when the service ends first, TrackedElsewhere."""
        return await self._turns.run(self._ingest, result)

    async def ingest_late(self, result: PollResult) -> None:
        """Note a reading that is not later than one that was stored before, or a try that failed; where it is
        that one, nothing happens."""
        await self._turns.run(self._ingest_late, result)

    async def ingest_probe(self, switch_id: int, name: str, reading: Reading) -> None:
        """Store what a probe of one address showed."""
        await self._turns.run(self._ingest_probe, switch_id, name, reading)

    def is_latest(self, result: PollResult) -> bool:
        """Whether it is later than all that was stored of its switch."""
        last = self._fleet.tracker.checkpoint(self._fleet.switches.get(result.switch, result.name)).last_at
        return last is None or result.started_at > last

    # The following are for work that runs in a turn.

    def follow(self, event: ReadingStored) -> None:
        """The tracker of an area stored a reading: have the same here, and publish it as if we had stored it.
        Raises StorageUnavailable."""
        if (new := self._fleet.record_stored(event)) is not None:
            self._bus.publish(new)

    def forget_endpoints(self, macs: Sequence[MacAddress]) -> None:
        """The records of these were deleted."""
        self._fleet.forget_addresses(macs)
        if macs:
            self._bus.publish(EndpointsForgotten())

    def _ingest(self, result: PollResult) -> Outcome | None:
        self._fleet.check_ours(result.switch, result.name)
        if (name := self._fleet.switches.get(result.switch)) is None:
            return None
        result = _under_name(result, name)
        outcome = result.outcome
        event: Outcome
        if isinstance(outcome, Reading):
            try:
                event = self._store_reading(result, outcome)
            except TrackedElsewhere:
                self._fleet.lose(result.switch)  # the tracker here has moved on, and the records have not
                raise
            except StorageUnavailable:
                raise
            except KiteRollError as refused:
                self._turns.until_stored(lambda: self._fleet.reload_switches((result.switch,)))
                event = self._store_failure(result, refused)
            except Exception as bug:
                event = self._after_bug(result, bug)
        else:
            event = self._store_failure(result, outcome)
        _log(event)
        self._bus.publish(event)
        return event

    def _store_reading(self, result: PollResult, reading: Reading) -> ReadingStored:
        fleet, tracker = self._fleet, self._fleet.tracker
        before = tracker.checkpoint(result.name).last_at
        new_keys = tracker.new_keys(reading)
        reading, left_out = self._admission.admit(
            reading, new_keys, fleet.index, len(fleet.index), first=before is None
        )
        changes = tracker.apply(reading)
        checkpoint = tracker.checkpoint(result.name)
        self._turns.until_stored(
            lambda: self._writer.write_reading(
                result.switch, reading, changes, checkpoint, result.next_due_at
            )
        )
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
            unknown=fleet.add_addresses(changes),
        )

    def _after_bug(self, result: PollResult, bug: Exception) -> ReadingFailed:
        """A bug of ours, or a record that contradicts the tracker. The tracker has moved on and the
        records have not: that switch begins again from the records rather than drift apart."""
        log.exception("a reading could not be stored", extra=fields("ingest.failed", switch=result.name))
        self._turns.until_stored(lambda: self._fleet.reload_switches((result.switch,)))
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
        self._turns.until_stored(
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
        self._fleet.check_ours(result.switch, result.name)
        switch, outcome = result.switch, result.outcome
        if isinstance(outcome, Reading):
            self._turns.until_stored(lambda: self._writer.write_late(switch, outcome))
            return
        duration_ms, error = round(result.duration.total_seconds() * 1000), str(outcome)[:_LONGEST_ERROR]
        self._turns.until_stored(
            lambda: self._writer.write_late_failure(switch, result.started_at, duration_ms, error)
        )

    def _ingest_probe(self, switch_id: int, name: str, reading: Reading) -> None:
        if self._fleet.switches.get(switch_id) != name or switch_id in self._fleet.elsewhere:
            return
        try:
            changes = self._fleet.tracker.apply(reading)
            if not changes:
                return
            checkpoint = self._fleet.tracker.checkpoint(name)
            self._turns.until_stored(lambda: self._writer.write_probe(switch_id, changes, checkpoint))
        except StorageUnavailable:
            raise
        except Exception:
            log.exception("a probe could not be stored", extra=fields("ingest.probe_failed", switch=name))
            self._turns.until_stored(lambda: self._fleet.reload_switches((switch_id,)))
            return
        self._bus.publish(
            AddressProbed(switch_id=switch_id, switch=name, reading=reading, changes=tuple(changes))
        )


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


def _under_name(result: PollResult, name: str) -> PollResult:
    """Its switch may have got another name while it was on its way."""
    if result.name == name:
        return result
    outcome = result.outcome
    if isinstance(outcome, Reading):
        outcome = replace(outcome, switch=name)
    return replace(result, name=name, outcome=outcome)


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
        extra = fields("collect.failed", switch=event.switch, error=event.error, duration_s=took)
        log.warning("switch not read", extra=extra)
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
