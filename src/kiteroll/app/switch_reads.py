"""Reads a switch on demand, or because it sent a notification; where collectors read it, they are asked."""

import asyncio
from collections.abc import Awaitable, Callable

from kiteroll.app.ingest import Outcome
from kiteroll.clock import Clock
from kiteroll.collect.poller import Poller
from kiteroll.core.errors import Conflict, NotFound
from kiteroll.store import inventory
from kiteroll.store.database import Database

_BUSY_S = 0.3
_PATIENCE_S = 240.0
"""As long as one reading may take, and more."""


ReadElsewhere = Callable[[int, str, str], Awaitable[Outcome | None]]
"""Of a switch by id, name and site."""


class SwitchReads:
    def __init__(
        self,
        database: Database,
        poller: Poller[Outcome | None],
        clock: Clock,
        site_elsewhere: Callable[[int], str | None],
        read_elsewhere: ReadElsewhere,
    ) -> None:
        """`site_elsewhere`: the site whose collectors read a switch, by id; `read_elsewhere` asks them."""
        self._site_elsewhere = site_elsewhere
        self._read_elsewhere = read_elsewhere
        self._database = database
        self._poller = poller
        self._clock = clock

    async def read_now(self, name: str) -> Outcome:
        """Raises NotFound, Conflict while it is being read, StorageUnavailable, or BusUnavailable where the
        collectors of its site do not answer."""
        row = await asyncio.to_thread(self._database.run, inventory.get_switch, name)
        if (site := self._site_elsewhere(row.id)) is not None:
            outcome = await self._read_elsewhere(row.id, row.name, site)
        else:
            outcome = await self._poller.read_now(row.id)
        if outcome is None:
            raise NotFound("switch", name, "it was removed or renamed while it was being read")
        return outcome

    async def read_next(self, name: str) -> Outcome:
        """Read a switch now; where it is being read this moment, right after that. Raises what `read_now`
        raises; Conflict only where it is busy for minutes."""
        until = self._clock.monotonic() + _PATIENCE_S
        while True:
            try:
                return await self.read_now(name)
            except Conflict:
                if self._clock.monotonic() >= until:
                    raise
                await self._clock.sleep(_BUSY_S)
