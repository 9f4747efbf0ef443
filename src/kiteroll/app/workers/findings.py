"""Drives the finding engine with the records of the service, and stores what it finds.

Runs beside the storing of readings, never in its way: events are taken in at once, and judged about once a
second or when the engine asked to be woken.
"""

import asyncio
import logging
import threading
from collections import deque
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.app.events import (
    AddressProbed,
    EventBus,
    FindingChanged,
    InventoryChanged,
    ReadingStored,
    RulesChanged,
)
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import NotFound, StorageUnavailable
from kiteroll.core.findings.address_evaluation import Probe
from kiteroll.core.findings.contested import contested_by
from kiteroll.core.findings.engine import FindingEngine, SwitchRead
from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Finding, State
from kiteroll.core.findings.kinds import uplink_claimed
from kiteroll.core.findings.lifecycle import EXPLAINS_FOR, FindingLifecycle
from kiteroll.core.findings.registry import EXPLAINING
from kiteroll.core.findings.renaming import renamed_finding, renamed_read
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.contested import Contested
from kiteroll.store import findings
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_STEP_S = 1.0


@dataclass(frozen=True, slots=True)
class _Renamed:
    before: str
    after: str


class FindingWorker:
    def __init__(
        self,
        database: Database,
        facts: FactSource,
        thresholds: Thresholds,
        clock: Clock,
        bus: EventBus,
        request_probes: Callable[[Sequence[Probe]], None],
        known_since: Mapping[str, datetime] | None = None,
    ) -> None:
        """`request_probes` may be called from any thread. `known_since`: of switches whose rules an earlier
        run evaluated. Raises StorageUnavailable."""
        self._database = database
        self._facts = facts
        self._clock = clock
        self._bus = bus
        self._request_probes = request_probes
        self._lock = threading.Lock()
        """Held while the engine works, which may take a while: whoever hands it something uses the inbox."""
        self._engine = FindingEngine(thresholds, self._recorded(), known_since)
        self._inbox: deque[SwitchRead | RulesChanged | _Renamed] = deque()
        self._live = dict(self._engine.lifecycle.live())
        self._contested = contested_by(self._live.values())
        self._claimed_uplinks: frozenset[PortRef] = frozenset()
        self._wake_at: datetime | None = None
        self._unsaved: dict[str, Finding] = {}
        """Findings that changed while the database was away, by key."""
        bus.subscribe(ReadingStored, self._on_reading)
        bus.subscribe(AddressProbed, self._on_probe)
        bus.subscribe(RulesChanged, lambda _: self._on_rules())
        bus.subscribe(InventoryChanged, lambda _: self._on_rules())

    @property
    def thresholds(self) -> Thresholds:
        return self._engine.thresholds

    def change_thresholds(self, thresholds: Thresholds) -> None:
        """From the next step on. What was seen and not judged is judged by them; what else the engine has in
        mind it gathers anew, as after a start."""
        with self._lock:
            before = self._engine
            self._begin_anew(thresholds, before.lifecycle.remembered(), before.unjudged())
            self._wake_at = None

    def switch_renamed(self, before: str, after: str) -> None:
        """Returns at once. From any thread."""
        self._inbox.append(_Renamed(before, after))

    def reload(self) -> None:
        """Take up what is recorded: in a service that follows another one, whose engine it is that finds.
        Raises StorageUnavailable."""
        recorded = self._recorded()
        with self._lock:
            self._begin_anew(self._engine.thresholds, recorded)
            self._claimed_uplinks = uplink_claimed.ports_of(self._live.values())
            self._facts.note_claims(self._claimed_uplinks)

    async def run(self) -> None:
        while True:
            await self._clock.sleep(_STEP_S)
            if not self._due(self._clock.now()):
                continue
            try:
                await asyncio.to_thread(self.evaluate_pending, self._clock.now())
            except StorageUnavailable as away:
                log.warning("findings wait", extra=fields("findings.wait", error=str(away)))

    def enqueue(self, event: SwitchRead) -> None:
        """Take in what a reading changed; returns at once. From any thread."""
        self._inbox.append(event)

    def evaluate_pending(self, now: datetime) -> list[Finding]:
        """Judge what is due; returns the findings that changed, saved. Raises StorageUnavailable; then
        nothing is lost."""
        with self._lock:
            self._open_inbox()
            self._wake_at = None  # due again, should this one be cut off
            step = self._engine.step(self._facts, self._cleared, now)
            self._wake_at = step.wake_at
            self._unsaved |= {one.key: one for one in step.changed}
            self._claimed_uplinks = self._engine.claimed_uplinks()
            if step.changed or step.looked_at is not None:
                self._refresh_live()
            changed = list(self._unsaved.values())
            goes_on = step.looked_at is not None and any(one.goes_on for one in self._live.values())
            if changed or goes_on:  # most steps change nothing, and need no transaction
                self._database.run(findings.save_findings, changed, step.looked_at)
            self._unsaved.clear()
        self._request_probes(step.probes)
        self._announce(changed)
        return changed

    def live(self) -> list[Finding]:
        """Findings that are not cleared, as the last step left them. From any thread."""
        return list(self._live.values())

    def claimed_uplinks(self) -> frozenset[PortRef]:
        """Ports that look like uplinks and stay under their rules, as of the last step. From any thread."""
        return self._claimed_uplinks

    def contested(self) -> Contested:
        """Addresses that live findings say are here and there. From any thread."""
        return self._contested

    def clears_at(self, finding: Finding) -> datetime | None:
        """When it clears if nothing comes before; None when it is cleared."""
        return self._engine.lifecycle.clears_at(finding)

    def acknowledge(self, number: int, by: str, note: str, until: datetime | None) -> None:
        """Raises NotFound when there is no such finding, or it is cleared."""
        if self.acknowledge_many([number], by, note, until):
            raise _it_is_over(number)

    def clear(self, number: int, by: str) -> None:
        """Raises NotFound when there is no such finding, or it is cleared already."""
        if self.clear_many([number], by):
            raise _it_is_over(number)

    def acknowledge_many(
        self, numbers: Collection[int], by: str, note: str, until: datetime | None
    ) -> list[int]:
        """Returns those that are cleared, and stay so. Raises NotFound when any is no finding; then none is
        acknowledged."""
        return self._change(numbers, lambda lifecycle, key: lifecycle.acknowledge(key, by, note, until))

    def clear_many(self, numbers: Collection[int], by: str) -> list[int]:
        """Returns those that were cleared already. Raises NotFound when any is no finding; then none is
        cleared."""
        now = self._clock.now()
        return self._change(numbers, lambda lifecycle, key: lifecycle.clear(key, by, now))

    def _change(
        self, numbers: Collection[int], change: Callable[[FindingLifecycle, str], Finding | None]
    ) -> list[int]:
        rows = self._database.run(findings.get_findings, numbers)
        with self._lock:
            found = {row.id: change(self._engine.lifecycle, row.finding.key) for row in rows}
            changed = {one.key: one for one in found.values() if one is not None}
            self._refresh_live()
            self._unsaved |= changed  # should the database be away now, the next step saves them
            self._database.run(findings.save_findings, list(changed.values()))
            for key in changed:
                del self._unsaved[key]
        for one in changed.values():
            self._bus.publish(FindingChanged(one))
        return [number for number, one in found.items() if one is None]

    def _due(self, now: datetime) -> bool:
        return bool(self._inbox) or bool(self._unsaved) or self._wake_at is None or now >= self._wake_at

    def _open_inbox(self) -> None:
        """Raises StorageUnavailable; what it did not come to stays inside."""
        while self._inbox:
            match self._inbox.popleft():
                case SwitchRead() as event:
                    self._engine.enqueue(event)
                case RulesChanged():
                    self._engine.rules_changed()
                case _Renamed() as renamed:
                    try:
                        self._go_on_under(renamed.before, renamed.after)
                    except StorageUnavailable:
                        self._inbox.appendleft(renamed)
                        raise

    def _go_on_under(self, before: str, after: str) -> None:
        """What is recorded of a switch has its new name already. What else the engine has in mind it gathers
        anew, as after a start: it goes by names."""
        waiting = [renamed_read(event, before, after) for event in self._engine.unjudged()]
        renamed = [renamed_finding(one, before, after) for one in self._unsaved.values()]
        recorded = {one.key: one for one in self._recorded()}
        self._unsaved = {one.key: one for one in renamed}
        recorded |= self._unsaved
        known_since = {
            after if name == before else name: at for name, at in self._engine.known_since().items()
        }
        self._begin_anew(self._engine.thresholds, recorded.values(), waiting, known_since)

    def _begin_anew(
        self,
        thresholds: Thresholds,
        recorded: Iterable[Finding],
        waiting: Iterable[SwitchRead] = (),
        known_since: Mapping[str, datetime] | None = None,
    ) -> None:
        """With another engine: these findings go on, and these events are still to be judged."""
        self._engine = FindingEngine(thresholds, recorded, known_since or self._engine.known_since())
        for event in waiting:
            self._engine.enqueue(event)
        self._refresh_live()

    def _recorded(self) -> list[Finding]:
        """What an engine goes on from. Raises StorageUnavailable."""
        return self._database.run(findings.unfinished_findings, EXPLAINING, self._clock.now() - EXPLAINS_FOR)

    def _refresh_live(self) -> None:
        self._live = dict(self._engine.lifecycle.live())
        self._contested = contested_by(self._live.values())

    def _cleared(self, keys: Sequence[str]) -> Mapping[str, Finding]:
        rows = self._database.run(findings.by_keys, keys) if keys else {}
        return {key: row.finding for key, row in rows.items()}

    def _on_reading(self, event: ReadingStored) -> None:
        self.enqueue(
            SwitchRead(
                switch=event.switch,
                at=event.summary.taken_at,
                changes=event.changes,
                topology_changes=event.summary.topology_changes,
                bridge_address=event.summary.bridge_address,
                left_out=event.left_out,
                unknown=event.unknown,
                first=event.first,
            )
        )

    def _on_probe(self, event: AddressProbed) -> None:
        self.enqueue(SwitchRead(switch=event.switch, at=event.reading.taken_at, changes=event.changes))

    def _on_rules(self) -> None:
        self._inbox.append(RulesChanged())

    def _announce(self, changed: Sequence[Finding]) -> None:
        for one in changed:
            if one.state is State.OPEN and one.opened_at >= one.last_at:
                extra = fields(
                    "finding.open", kind=one.kind.value, subject=one.subject.key, cause=one.cause.value
                )
                log.warning("finding", extra=extra)
            self._bus.publish(FindingChanged(one))


def _it_is_over(number: int) -> NotFound:
    return NotFound("open finding", str(number), "it is cleared; it reopens when it comes again")
