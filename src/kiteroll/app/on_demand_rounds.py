"""Rounds on demand: with progress, can be cancelled and resumed."""

import asyncio
import logging
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass

from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import Outcome
from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, KiteRollError, NotFound, StorageUnavailable
from kiteroll.store import inventory, rounds
from kiteroll.store.database import Database
from kiteroll.store.rounds import RoundRow

log = logging.getLogger(__name__)
CONCURRENCY = 16
_END_AGAIN_S = 1.0


@dataclass(frozen=True, slots=True)
class RoundProgress:
    row: RoundRow
    tried: Mapping[str, bool]
    """Whether each switch that was tried in it was read completely, by name."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which switches to read: those of that name, else those of a group, else those at a site, else all."""

    switches: Sequence[str] = ()
    group: str | None = None
    site: str | None = None


class OnDemandRounds:
    """At most one round runs: a second one would only wait for the same switches."""

    def __init__(self, database: Database, clock: Clock, read: Callable[[str], Awaitable[Outcome]]) -> None:
        """`read` reads one switch by name; a KiteRollError it raises ends that switch's turn alone."""
        self._database = database
        self._clock = clock
        self._read = read
        self._running: tuple[int, asyncio.Task[None]] | None = None

    def latest(self, limit: int) -> list[RoundProgress]:
        return [self._progress_of(row) for row in self._database.run(rounds.latest_rounds, limit)]

    def get(self, number: int) -> RoundProgress:
        """Raises NotFound."""
        return self._progress_of(self._database.run(rounds.get_round, number))

    async def begin(self, wanted: Wanted) -> RoundProgress:
        """Raises NotFound for a name, a group or a site that is not there, Conflict while another one runs,
        StorageUnavailable."""
        names = await asyncio.to_thread(self._names, wanted)
        self._free()
        row = await asyncio.to_thread(self._database.run, rounds.begin_round, self._clock.now(), list(names))
        self._start(row, names)
        return await asyncio.to_thread(self._progress_of, row)

    async def resume(self, number: int) -> RoundProgress:
        """Read the switches that are left. Raises NotFound, or Conflict: one runs, none is left."""
        self._free()
        row = await asyncio.to_thread(self._database.run, rounds.get_round, number)
        tried = await asyncio.to_thread(self._database.run, rounds.tries, number)
        left = [name for name in row.wanted if name not in tried]
        if row.state == "done" or not left:
            raise Conflict(f"round {number} is done: nothing is left to read")
        await asyncio.to_thread(self._database.run, rounds.end_round, number, None, "running")
        self._start(row, left)
        return await asyncio.to_thread(self.get, number)

    async def cancel(self, number: int) -> RoundProgress:
        """Stop it; what was read stays. Raises NotFound, or Conflict when it does not run."""
        row = await asyncio.to_thread(self._database.run, rounds.get_round, number)
        if self._running is None or self._running[0] != number:
            raise Conflict(f"round {number} is not running: it is {row.state}")
        await self.stop()
        await asyncio.to_thread(self._database.run, rounds.end_round, number, self._clock.now(), "cancelled")
        return await asyncio.to_thread(self.get, number)

    async def stop(self) -> None:
        """The service stops: a round that is running is left as it is, to be resumed."""
        if self._running is None:
            return
        task = self._running[1]
        self._running = None
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    def _progress_of(self, row: RoundRow) -> RoundProgress:
        return RoundProgress(row, self._database.run(rounds.tries, row.id))

    def _names(self, wanted: Wanted) -> list[str]:
        rows = self._database.run(inventory.all_switches)
        InventoryNames.of(rows).check(switches=wanted.switches, groups=(wanted.group,), sites=(wanted.site,))
        polled = {row.name: row for row in rows if row.source != "files"}
        for name in wanted.switches:
            if name not in polled:
                raise NotFound("switch to read", name, "its readings come in files")
        names = list(dict.fromkeys(wanted.switches)) or sorted(
            row.name
            for row in polled.values()
            if row.enabled
            and (wanted.group is None or wanted.group in row.in_groups)
            and (wanted.site is None or wanted.site == row.site)
        )
        if not names:
            raise NotFound("switch to read", wanted.group or wanted.site or "all", "none of them is read")
        return names

    def _free(self) -> None:
        if self._running is not None:
            raise Conflict(
                f"round {self._running[0]} is running: wait for it, or cancel it "
                f"(`kiteroll round cancel {self._running[0]}`)"
            )

    def _start(self, row: RoundRow, names: Sequence[str]) -> None:
        task = asyncio.create_task(self._run(row.id, names), name=f"round:{row.id}")
        self._running = (row.id, task)

    async def _run(self, number: int, names: Sequence[str]) -> None:
        slots = asyncio.Semaphore(CONCURRENCY)
        try:
            async with asyncio.TaskGroup() as tasks:
                for name in names:
                    tasks.create_task(self._try(number, name, slots), name=f"round:{number}:{name}")
            await self._end(number)
        finally:
            if self._running is not None and self._running[0] == number:
                self._running = None

    async def _try(self, number: int, name: str, slots: asyncio.Semaphore) -> None:
        """One that cannot be tried holds up none of the others."""
        async with slots:
            try:
                outcome = await self._read(name)
                complete = isinstance(outcome, ReadingStored) and outcome.summary.complete
                await asyncio.to_thread(self._database.run, rounds.add_try, number, name, complete=complete)
            except KiteRollError as skipped:
                # Removed meanwhile, say, or switched off.
                log.info("skipped in a round", extra=fields("round.skipped", switch=name, error=str(skipped)))
            except Exception:
                log.exception("a switch of a round could not be read", extra=fields("round.bug", switch=name))

    async def _end(self, number: int) -> None:
        """Whoever watches the round waits for this to be stored, so that it is, however long it takes."""
        while True:
            try:
                at = self._clock.now()
                return await asyncio.to_thread(self._database.run, rounds.end_round, number, at, "done")
            except StorageUnavailable as away:
                extra = fields("round.not_stored", error=str(away))
                log.warning("the end of a round is not stored yet", extra=extra)
                await self._clock.sleep(_END_AGAIN_S)
