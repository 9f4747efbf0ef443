"""One thread in which everything runs that touches what is tracked, one thing at a time."""

import asyncio
import logging
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

from kiteroll.app.logs import fields
from kiteroll.core.errors import ServiceStopping, StorageUnavailable

log = logging.getLogger(__name__)
T = TypeVar("T")
_RETRY_S = 1.0


class Turns:
    """While the database is away the write in hand is tried again and again, and those behind it wait, which
    in turn holds back the poller: nothing piles up and nothing is skipped."""

    def __init__(self) -> None:
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="ingest")
        self._urgent: deque[Callable[[], None]] = deque()
        self._stopping = threading.Event()
        self.storage_problem: str | None = None
        """Why writes wait; None while they do not."""

    async def run(self, work: Callable[..., T], *args: object) -> T:
        """Run `work` in a turn of its own. Cancelling the caller does not cut it off half-way. Raises
        ServiceStopping."""
        future = asyncio.wrap_future(self._submit(self._turn, work, *args))
        future.add_done_callback(_seen)  # also where whoever asked does not wait for it any more
        return await asyncio.shield(future)

    async def run_next(self, work: Callable[[], T]) -> T:
        """Run a change that a person waits for in the next turn, before readings that wait. Raises
        ServiceStopping, or StorageUnavailable at once while they wait for the database."""
        if self.storage_problem is not None:
            raise StorageUnavailable(self.storage_problem)
        future: Future[T] = Future()
        self._urgent.append(lambda: _settle(future, work))
        # Whoever's turn comes next does it first; this one sees to it that there is a next one.
        self._submit(self._run_urgent)
        return await asyncio.shield(asyncio.wrap_future(future))

    def until_stored(self, write: Callable[[], T]) -> T:
        """In a turn: write, again and again until the database takes it. Raises ServiceStopping."""
        while True:
            if self._stopping.is_set():
                raise _stopping()
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

    def stop(self) -> None:
        """Finish what is being written, drop what waits."""
        self._stopping.set()
        self._thread.shutdown(wait=True, cancel_futures=True)

    def _submit(self, work: Callable[..., T], *args: object) -> Future[T]:
        try:
            return self._thread.submit(work, *args)
        except RuntimeError as refused:
            if self._stopping.is_set():
                raise _stopping() from refused
            raise

    def _turn(self, work: Callable[..., T], *args: object) -> T:
        self._run_urgent()
        return work(*args)

    def _run_urgent(self) -> None:
        while self._urgent:
            self._urgent.popleft()()


def _stopping() -> ServiceStopping:
    return ServiceStopping("the service is stopping; nothing was stored")


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
