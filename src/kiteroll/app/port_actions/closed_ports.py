"""Ports that are closed: the timer that opens them again, and what is reported of them."""

import asyncio
import logging
from datetime import datetime, timedelta

from kiteroll.app.logs import fields
from kiteroll.app.port_actions.actor import Order, PortActor
from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError, NotFound, StorageUnavailable
from kiteroll.core.port_actions.actions import ActionKind, ActionState, Wanted
from kiteroll.core.port_actions.closures import due
from kiteroll.store import port_actions, port_closures
from kiteroll.store.database import Database
from kiteroll.store.port_closures import ClosedElsewhere, ClosureRow

log = logging.getLogger(__name__)
STEP_S = 2.0
_AGAIN_AFTER = timedelta(minutes=1)
_MOST_ELSEWHERE = 5000


class ClosedPorts:
    def __init__(self, database: Database, actor: PortActor, clock: Clock) -> None:
        self._database = database
        self._actor = actor
        self._clock = clock
        self._now: tuple[ClosureRow, ...] = ()
        self._stopped: tuple[datetime, str] | None = None
        self._found_out_at: float | None = None

    def all(self) -> list[ClosureRow]:
        """Closed now, the latest first."""
        return self._database.run(port_closures.open_closures)

    def elsewhere(self) -> list[ClosedElsewhere]:
        """Shut on their switches by somebody else."""
        return self._database.run(port_closures.closed_elsewhere, _MOST_ELSEWHERE)

    def as_of_last_step(self) -> tuple[tuple[ClosureRow, ...], tuple[datetime, str] | None]:
        """Those that are closed, and since when rules close nothing by themselves. From any thread."""
        return self._now, self._stopped

    async def step(self) -> None:
        """Open what is due, and see what became of actions that were cut off. Raises StorageUnavailable."""
        await self._find_out()
        await asyncio.to_thread(self._database.run, port_closures.end_open_again)
        rows = await asyncio.to_thread(self.all)
        self._now, self._stopped = tuple(rows), await asyncio.to_thread(self.stopped)
        by_port = {one.closure.port: one for one in rows}
        ready = due([one.closure for one in rows], self._clock.now())
        # All at once: a switch that does not answer holds up no other.
        await asyncio.gather(*(self._reopen(by_port[one.port]) for one in ready))

    async def _find_out(self) -> None:
        """At once after a start, then now and then."""
        now = self._clock.monotonic()
        if self._found_out_at is None or now - self._found_out_at > _AGAIN_AFTER.total_seconds():
            await self._actor.find_out_all()
            self._found_out_at = now

    async def _reopen(self, row: ClosureRow) -> None:
        switch, port = row.closure.port
        order = Order(reason="its time is over", via="timer", breach=row.closure.breach)
        try:
            done = await self._actor.carry_out(
                Wanted(kind=ActionKind.REOPEN, switch=switch, port=port), order
            )
        except StorageUnavailable:
            raise
        except NotFound:
            # The switch or the port is no longer there: nothing is left to open.
            await asyncio.to_thread(self._database.run, port_closures.hold_closed, row.id)
            return
        except KiteRollError as failed:
            extra = fields("reopening.failed", switch=switch, port=port, error=str(failed))
            log.warning("a port is not reopened yet", extra=extra)
        else:
            if done.state is ActionState.DONE:
                return
        later = self._clock.now() + _AGAIN_AFTER
        await asyncio.to_thread(self._database.run, port_closures.put_off, row.id, later)

    def stopped(self) -> tuple[datetime, str] | None:
        """Since when rules close nothing by themselves, and why; None while they do."""
        return self._database.run(port_actions.closing_stopped)

    def go_on(self) -> None:
        """Rules may close ports by themselves again."""
        self._database.run(port_actions.go_on_closing)
        self._stopped = None
