"""Keeps the workers of the service running: one that fails is logged, shown, and started again."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError
from kiteroll.tasks import end_tasks

log = logging.getLogger(__name__)
_FIRST_PAUSE = timedelta(seconds=1)
_LONGEST_PAUSE = timedelta(minutes=1)
_WELL_AFTER = timedelta(minutes=5)
"""A worker that ran for so long starts with the first pause again."""


class MustStop(KiteRollError):
    """A worker says that the service cannot go on, such as when another one took over its database."""

    code = "must_stop"


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkerHealth:
    name: str
    running: bool = True
    failures: int = 0
    """Since the service started."""
    failed_at: datetime | None = None
    error: str = ""
    """Of the last failure."""
    starts_again_at: datetime | None = None


Work = Callable[[], Awaitable[None]]


class Supervisor:
    def __init__(self, clock: Clock, on_must_stop: Callable[[], None]) -> None:
        """`on_must_stop` is called once a worker raised MustStop."""
        self._clock = clock
        self._on_must_stop = on_must_stop
        self._workers: list[tuple[str, Work]] = []
        self._health: dict[str, WorkerHealth] = {}
        self._tasks: list[asyncio.Task[None]] = []

    def add(self, name: str, work: Work) -> None:
        """`work` runs until it is cancelled; it is called again for each start. Before `start`."""
        self._workers.append((name, work))
        self._health[name] = WorkerHealth(name=name, running=False)

    def start(self) -> None:
        for name, work in self._workers:
            self._tasks.append(asyncio.create_task(self._keep_running(name, work), name=name))

    async def stop(self) -> None:
        await end_tasks(self._tasks)
        self._tasks.clear()

    def health(self) -> list[WorkerHealth]:
        return list(self._health.values())

    async def _keep_running(self, name: str, work: Work) -> None:
        pause = _FIRST_PAUSE
        while True:
            started = self._clock.monotonic()
            self._health[name] = replace(self._health[name], running=True, starts_again_at=None)
            try:
                await work()
                raise RuntimeError("it returned, though it was to run until it is stopped")
            except MustStop as why:
                log.critical("the service has to stop", extra=fields("worker.must_stop", error=str(why)))
                self._note_failure(name, why, None)
                self._on_must_stop()
                return
            except Exception as failure:
                ran_well = self._clock.monotonic() - started >= _WELL_AFTER.total_seconds()
                pause = _FIRST_PAUSE if ran_well else pause
                log.exception(
                    "a worker failed and is started again",
                    extra=fields("worker.failed", worker=name, pause_s=pause.total_seconds()),
                )
                self._note_failure(name, failure, self._clock.now() + pause)
            await self._clock.sleep(pause.total_seconds())
            pause = min(2 * pause, _LONGEST_PAUSE)

    def _note_failure(self, name: str, failure: Exception, again_at: datetime | None) -> None:
        self._health[name] = WorkerHealth(
            name=name,
            running=False,
            failures=self._health[name].failures + 1,
            failed_at=self._clock.now(),
            error=f"{type(failure).__name__}: {failure}",
            starts_again_at=again_at,
        )
