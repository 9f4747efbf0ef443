"""The life of a service: its workers run, and are stopped so that what is being written is finished."""

import asyncio
import logging
from collections.abc import AsyncIterator
from contextlib import AsyncExitStack, asynccontextmanager, suppress

from kiteroll.app.logs import fields
from kiteroll.app.parts.whole import Parts
from kiteroll.app.turns import Turns
from kiteroll.core.errors import StorageUnavailable
from kiteroll.store.database_lease import DatabaseLease

log = logging.getLogger(__name__)
_FINISH_S = 3.0
"""How long what is being written may take to be written, once the service is to stop."""


@asynccontextmanager
async def running(parts: Parts) -> AsyncIterator[None]:
    """The workers run; on leaving no new readings are begun, and what is being written is finished."""
    async with AsyncExitStack() as stack:
        stack.push_async_callback(_finish_writing, parts)
        stack.push_async_callback(parts.supervisor.stop)
        stack.push_async_callback(parts.reading.rounds.stop)
        stack.push_async_callback(parts.acting.sweeps.stop)
        if parts.following is None:
            await parts.reading.assignments.start()
        parts.supervisor.start()
        log.info("service started", extra=fields("service.started"))
        yield
    log.info("service stopped", extra=fields("service.stopped"))


async def _finish_writing(parts: Parts) -> None:
    """Let the reading in hand be written; but where the database does not answer, the service ends without:
    what waits was never acknowledged."""
    ending = asyncio.to_thread(_end_writing, parts.tracking.turns, parts.storage.lease)
    writing = asyncio.ensure_future(ending)
    await asyncio.wait({writing}, timeout=_FINISH_S)
    for pool in (parts.storage.database, parts.storage.background, parts.storage.watch):
        pool.abort()
    await writing


def _end_writing(turns: Turns, lease: DatabaseLease | None) -> None:
    """Then another service may have the database at once."""
    turns.stop()
    if lease is not None:
        with suppress(StorageUnavailable):  # then it runs out
            lease.release()
