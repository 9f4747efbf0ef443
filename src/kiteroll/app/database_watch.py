"""Whether the database can be used: asked every second on a connection of its own.

Whoever wants to know asks here, and waits for nothing.
"""

import asyncio
import logging

from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.service_condition import Outage
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_EVERY_S = 1.0
PATIENCE_S = 3
"""How long the database may take to answer that it is there."""


class DatabaseWatch:
    def __init__(self, database: Database, clock: Clock) -> None:
        """`database`: with a pool of one connection that nobody else uses, and PATIENCE_S to answer."""
        self._database = database
        self._clock = clock
        self.problem: str | None = None
        self.outage: Outage | None = None
        """The latest that is over."""
        self._since = clock.now()

    async def run(self) -> None:
        while True:
            try:
                await asyncio.to_thread(self._database.check)
            except StorageUnavailable as away:
                if self.problem is None:
                    self._since = self._clock.now()
                    log.error("the database cannot be used", extra=fields("database.away", error=str(away)))
                self.problem = str(away)
            else:
                if self.problem is not None:
                    self.outage = Outage(self._since, self._clock.now(), self.problem)
                    log.info("the database can be used again", extra=fields("database.back"))
                self.problem = None
            await self._clock.sleep(_EVERY_S)
