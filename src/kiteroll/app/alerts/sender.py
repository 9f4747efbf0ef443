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
from itertools import groupby

from kiteroll.app.alerts.wording import message_of
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.alerts.delivery import (
    AN_HOUR,
    GIVEN_UP_AFTER,
    MOST_IN_AN_HOUR,
    batches,
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
        self._unfinished: deque[tuple[list[int], datetime]] = deque()
        """Delivered while the database was away."""
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
                rows = await asyncio.to_thread(self._waiting)
            except StorageUnavailable as away:
                log.warning("alerts wait for the database", extra=fields("alerts.wait", error=str(away)))
            else:
                for target, of_target in groupby(
                    sorted(rows, key=lambda one: one.target), lambda one: one.target
                ):
                    self._begin(target, list(of_target))
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

    def deliver(self, target: int, rows: Sequence[MessageRow]) -> None:
        """What waits for one target; blocking. Raises StorageUnavailable, and then what was delivered is
        noted later."""
        course = self._courses.setdefault(target, _Course())
        found = [one for one in self._database.run(alert_settings.all_targets) if one.id == target]
        for batch in batches(rows):
            if not found or self._must_wait(course):
                return
            if not self._deliver_one(found[0], course, batch):
                return

    def _deliver_one(self, target: TargetRow, course: _Course, batch: list[MessageRow]) -> bool:
        ids = [one.id for one in batch]
        repeated = any(one.possibly_repeated for one in batch)
        delivery = self._delivery([message_of(one) for one in batch], repeated=repeated)
        self._database.run(outbox.begin_delivery, ids, delivery.id)
        try:
            self._send(target, delivery)
        except NotDelivered as wrong:
            self._note_failure(target, course, ids, str(wrong))
            return False
        now = self._clock.now()
        course.failing = None
        course.delivered.append(now)
        self._unfinished.append((ids, now))
        self._finish()
        extra = fields("alert.sent", target=target.name, messages=len(ids))
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
        recent = sum(now - at < AN_HOUR for at in course.delivered)
        return must_rest(recent, now - course.delivered[-1] if course.delivered else None)

    def _delivery(self, messages: Sequence[Message], *, repeated: bool) -> Delivery:
        return Delivery(
            id=secrets.token_hex(12),
            service=self._service,
            at=self._clock.now(),
            messages=tuple(messages),
            possibly_repeated=repeated,
        )

    def _waiting(self) -> list[MessageRow]:
        self._finish()
        return self._database.run(outbox.waiting_messages, self._clock.now(), _AT_ONCE)

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
                ids, at = self._unfinished[0]
                self._database.run(outbox.end_delivery, ids, at)
                self._unfinished.popleft()

    def _begin(self, target: int, rows: list[MessageRow]) -> None:
        if target in self._busy or self._must_wait(self._courses.setdefault(target, _Course())):
            return
        self._busy.add(target)

        def work() -> None:
            try:
                self.deliver(target, rows)
            except StorageUnavailable as away:
                log.warning("alerts wait for the database", extra=fields("alerts.wait", error=str(away)))
            except Exception:
                log.exception("delivering failed", extra=fields("alert.bug"))
            finally:
                self._busy.discard(target)
                self.wake()

        # Not of the loop's own threads, which the end of the service waits for: a target may hang.
        threading.Thread(target=work, name=f"alerts-{target}", daemon=True).start()
