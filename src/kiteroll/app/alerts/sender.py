"""Delivers what waits in the outbox: each target by itself, so that a slow one holds up no other."""

import asyncio
import logging
import secrets
import socket
import threading
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from kiteroll.app.alerts.wording import counted_message, message_of
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.alerts.delivery import (
    AN_HOUR,
    GIVEN_UP_AFTER,
    MOST_IN_AN_HOUR,
    batches,
    has_had_most,
    must_rest,
    pause_after,
)
from kiteroll.core.errors import KiteRollError, StorageUnavailable
from kiteroll.deliver.delivery import Delivery, Message, NotDelivered
from kiteroll.deliver.sender import make_sender
from kiteroll.store import alert_settings, outbox
from kiteroll.store.alert_settings import TargetRow
from kiteroll.store.database import Database
from kiteroll.store.outbox import MessageRow
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)
_LOOK_S = 5.0
"""How often the outbox is looked at when nobody says that something is in it."""
_AT_ONCE = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Failing:
    """A target that takes nothing at present."""

    since: datetime
    error: str
    failures: int
    next_try_at: datetime


@dataclass(slots=True)
class _Course:
    """Of one target, since the service started."""

    name: str = ""
    failing: Failing | None = None
    delivered: deque[datetime] = field(default_factory=lambda: deque(maxlen=MOST_IN_AN_HOUR))


class AlertSender:
    def __init__(self, database: Database, clock: Clock, vault: Vault) -> None:
        self._database = database
        self._clock = clock
        self._vault = vault
        self._service = socket.gethostname()
        self._courses: dict[int, _Course] = {}
        self._busy: set[int] = set()
        self._unfinished: deque[tuple[Sequence[int], Sequence[int], datetime]] = deque()
        """Delivered while the database was away: what was sent, and what was only counted."""
        self._finishing = threading.Lock()
        self._wake: asyncio.Event | None = None
        self._loop: asyncio.AbstractEventLoop | None = None

    async def run(self) -> None:
        self._loop, self._wake = asyncio.get_running_loop(), asyncio.Event()
        marked = False
        while True:
            self._wake.clear()
            try:
                if not marked:
                    # A thread of before this worker failed may be sending still: not what it sends.
                    marked = bool(self._busy) or await asyncio.to_thread(self._mark_interrupted)
                targets = await asyncio.to_thread(self._waited_for)
            except StorageUnavailable as away:
                log.warning("alerts wait for the database", extra=fields("alerts.wait", error=str(away)))
            else:
                for target in targets:
                    self._begin(target)
            try:
                await asyncio.wait_for(self._wake.wait(), _LOOK_S)
            except TimeoutError:
                pass

    def wake(self) -> None:
        """Something is in the outbox. From any thread."""
        if self._loop is not None and self._wake is not None:
            try:
                self._loop.call_soon_threadsafe(self._wake.set)
            except RuntimeError:
                pass  # the loop is over, and so is the service

    def failing(self, target: int) -> Failing | None:
        course = self._courses.get(target)
        return None if course is None else course.failing

    def all_failing(self) -> list[tuple[str, Failing]]:
        """Names of targets that take nothing, and how each fails."""
        return [(one.name, one.failing) for one in list(self._courses.values()) if one.failing is not None]

    def try_again(self, target: int) -> None:
        """Its settings were changed, or it was seen to work."""
        self._courses.pop(target, None)
        self.wake()

    def send_now(self, row: TargetRow, message: Message) -> None:
        """Beside the outbox: a test. Raises NotDelivered."""
        self._send(row, self._delivery([message], repeated=False))

    def deliver(self, target: int) -> None:
        """What waits for one target; blocking. Raises StorageUnavailable, and then what was delivered is
        noted later."""
        course = self._courses.setdefault(target, _Course())
        rows = self._database.run(outbox.waiting_messages, target, self._clock.now(), _AT_ONCE)
        found = [one for one in self._database.run(alert_settings.all_targets) if one.id == target]
        for batch in batches(rows, self._recent(course)):
            if not found or self._must_wait(course):
                return
            if not self._deliver_one(found[0], course, batch):
                return

    def _deliver_one(self, target: TargetRow, course: _Course, batch: list[MessageRow]) -> bool:
        ids = [one.id for one in batch]
        repeated = any(one.possibly_repeated for one in batch)
        messages, crowd = [message_of(one) for one in batch], outbox.Crowd()
        if has_had_most(self._recent(course)):
            crowd = self._database.run(outbox.waiting_beside, target.id, self._clock.now(), ids)
        if crowd.ids:
            messages.append(counted_message(crowd.counts, self._clock.now()))
        delivery = self._delivery(messages, repeated=repeated)
        every = [*ids, *crowd.ids]
        self._database.run(outbox.begin_delivery, every, delivery.id)
        try:
            self._send(target, delivery)
        except NotDelivered as wrong:
            self._note_failure(target, course, every, str(wrong))
            return False
        now = self._clock.now()
        course.failing = None
        course.delivered.append(now)
        self._unfinished.append((ids, crowd.ids, now))
        self._finish()
        extra = fields("alert.sent", target=target.name, messages=len(ids), counted=len(crowd.ids))
        log.info("alert delivered", extra=extra)
        return True

    def _send(self, row: TargetRow, delivery: Delivery) -> None:
        try:
            secret = self._vault.open(row.sealed) if row.sealed is not None else ""
        except KiteRollError as wrong:
            raise NotDelivered(f"its secret cannot be read: {wrong}") from wrong
        try:
            make_sender(row.kind, row.settings, secret).send(delivery)
        except NotDelivered:
            raise
        except Exception as wrong:
            log.exception("a target failed in a way that was not foreseen", extra=fields("alert.bug"))
            raise NotDelivered(f"{type(wrong).__name__}: {wrong}") from wrong

    def _note_failure(self, target: TargetRow, course: _Course, ids: list[int], error: str) -> None:
        now, before = self._clock.now(), course.failing
        course.name = target.name
        failures = 1 if before is None else before.failures + 1
        again_at = now + pause_after(failures)
        since = now if before is None else before.since
        course.failing = Failing(since=since, error=error, failures=failures, next_try_at=again_at)
        log.warning(
            "an alert was not delivered",
            extra=fields("alert.failed", target=target.name, error=error, failures=failures),
        )
        given_up = self._database.run(outbox.fail_delivery, ids, error, now, again_at, now - GIVEN_UP_AFTER)
        if given_up:
            log.error(
                "alerts are given up: their target took nothing for a day",
                extra=fields("alert.given_up", target=target.name, messages=given_up),
            )

    def _must_wait(self, course: _Course) -> bool:
        now = self._clock.now()
        if course.failing is not None and now < course.failing.next_try_at:
            return True
        since_last = now - course.delivered[-1] if course.delivered else None
        return must_rest(self._recent(course), since_last)

    def _recent(self, course: _Course) -> int:
        """Deliveries within an hour."""
        now = self._clock.now()
        return sum(now - at < AN_HOUR for at in course.delivered)

    def _delivery(self, messages: Sequence[Message], *, repeated: bool) -> Delivery:
        return Delivery(
            id=secrets.token_hex(12),
            service=self._service,
            at=self._clock.now(),
            messages=tuple(messages),
            possibly_repeated=repeated,
        )

    def _waited_for(self) -> list[int]:
        self._finish()
        return self._database.run(outbox.targets_waited_for, self._clock.now())

    def _mark_interrupted(self) -> bool:
        if count := self._database.run(outbox.mark_interrupted):
            log.warning(
                "alerts were being sent when the service ended: they are sent again, marked",
                extra=fields("alert.repeated", messages=count),
            )
        return True

    def _finish(self) -> None:
        """Note what was delivered. Each target has a thread of its own that does: one of them at a time."""
        with self._finishing:
            while self._unfinished:
                ids, counted, at = self._unfinished[0]
                self._database.run(outbox.end_delivery, ids, at, counted)
                self._unfinished.popleft()

    def _begin(self, target: int) -> None:
        if target in self._busy or self._must_wait(self._courses.setdefault(target, _Course())):
            return
        self._busy.add(target)

        def work() -> None:
            try:
                self.deliver(target)
            except StorageUnavailable as away:
                log.warning("alerts wait for the database", extra=fields("alerts.wait", error=str(away)))
            except Exception:
                log.exception("delivering failed", extra=fields("alert.bug"))
            finally:
                self._busy.discard(target)
                self.wake()

        # Not of the loop's own threads, which the end of the service waits for: a target may hang.
        threading.Thread(target=work, name=f"alerts-{target}", daemon=True).start()
