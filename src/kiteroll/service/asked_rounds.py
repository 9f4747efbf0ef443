"""Reading many switches because somebody asked: with progress, to be cancelled, to be gone on with."""

import asyncio
import logging
from collections.abc import Awaitable, Callable, Sequence

from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, KiteRollError
from kiteroll.service.logs import fields
from kiteroll.store import asked_rounds
from kiteroll.store.asked_rounds import RoundRow
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
AT_ONCE = 16


class AskedRounds:
    """At most one round runs: a second one would only wait for the same switches."""

    def __init__(self, database: Database, clock: Clock, read: Callable[[str], Awaitable[object]]) -> None:
        """`read` reads one switch by name; a KiteRollError it raises ends that switch's turn alone."""
        self._database = database
        self._clock = clock
        self._read = read
        self._running: tuple[int, asyncio.Task[None]] | None = None

    async def begin(self, names: Sequence[str]) -> RoundRow:
        """Raises Conflict while another one runs, StorageUnavailable."""
        self._free()
        row = await asyncio.to_thread(
            self._database.run, asked_rounds.begin_round, self._clock.now(), list(names)
        )
        self._start(row, names)
        return row

    async def resume(self, number: int) -> RoundRow:
        """Read what is left of it. Raises NotFound, or Conflict while a round runs or none is left."""
        self._free()
        row = await asyncio.to_thread(self._database.run, asked_rounds.get_round, number)
        tried = await asyncio.to_thread(self._database.run, asked_rounds.progress, row)
        left = [name for name in row.wanted if name not in tried]
        if row.state == "done" or not left:
            raise Conflict(f"round {number} is done: nothing is left to read")
        await asyncio.to_thread(self._database.run, asked_rounds.end_round, number, None, "running")
        self._start(row, left)
        return await asyncio.to_thread(self._database.run, asked_rounds.get_round, number)

    async def cancel(self, number: int) -> RoundRow:
        """Leave off; what was read stays. Raises NotFound, or Conflict when it does not run."""
        row = await asyncio.to_thread(self._database.run, asked_rounds.get_round, number)
        if self._running is None or self._running[0] != number:
            raise Conflict(f"round {number} does not run: it is {row.state}")
        await self.stop()
        await asyncio.to_thread(
            self._database.run, asked_rounds.end_round, number, self._clock.now(), "cancelled"
        )
        return await asyncio.to_thread(self._database.run, asked_rounds.get_round, number)

    async def stop(self) -> None:
        """The service stops: a round that runs is left as it is, to be gone on with."""
        if self._running is None:
            return
        task = self._running[1]
        self._running = None
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

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
        slots = asyncio.Semaphore(AT_ONCE)

        async def one(name: str) -> None:
            async with slots:
                try:
                    await self._read(name)
                except KiteRollError as left_out:
                    # Removed meanwhile, or switched off: that holds up none of the others.
                    said = fields("round.left_out", switch=name, error=str(left_out))
                    log.info("left out of a round", extra=said)

        try:
            async with asyncio.TaskGroup() as tasks:
                for name in names:
                    tasks.create_task(one(name), name=f"round:{number}:{name}")
            await asyncio.to_thread(
                self._database.run, asked_rounds.end_round, number, self._clock.now(), "done"
            )
        except KiteRollError as away:
            log.warning("a round's end is not kept", extra=fields("round.unkept", error=str(away)))
        finally:
            if self._running is not None and self._running[0] == number:
                self._running = None
