"""Small periodic jobs: retention, refreshed views, the private database."""

import asyncio
import logging
from collections.abc import Awaitable, Callable, Sequence
from datetime import timedelta

from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.settings import RetentionSettings
from kiteroll.app.supervisor import MustStop
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, KiteRollError, StorageUnavailable
from kiteroll.store.database import Database
from kiteroll.store.database_lease import RENEW_EVERY_S, DatabaseLease
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.retention import Deleted, delete_expired

log = logging.getLogger(__name__)
_RETENTION_S = 3600.0
_SERVER_CHECK_S = 2.0
_CLOCK_CHECK_S = 5.0
_AHEAD = timedelta(seconds=2)


async def every(seconds: float, clock: Clock, work: Callable[[], object], name: str) -> None:
    """Run `work` in a thread again and again. While the database is away it waits for the next time."""
    await _again_and_again(seconds, clock, lambda: asyncio.to_thread(work), name)


async def every_async(seconds: float, clock: Clock, work: Callable[[], Awaitable[object]], name: str) -> None:
    """The same of work that waits on its own."""
    await _again_and_again(seconds, clock, work, name)


async def retention(
    database: Database,
    turns: Turns,
    ingestor: ReadingIngestor,
    clock: Clock,
    settings: Callable[[], RetentionSettings],
) -> None:
    """Delete expired records, once an hour."""

    async def delete() -> None:
        deleted = await asyncio.to_thread(delete_old, database, clock, settings())
        await turns.run(ingestor.forget_endpoints, deleted.endpoints)

    await _again_and_again(_RETENTION_S, clock, delete, "retention")


async def _again_and_again(
    seconds: float, clock: Clock, work: Callable[[], Awaitable[object]], name: str
) -> None:
    while True:
        await clock.sleep(seconds)
        try:
            await work()
        except StorageUnavailable as away:
            log.warning("waits for the database", extra=fields(f"{name}.wait", error=str(away)))


def delete_old(database: Database, clock: Clock, settings: RetentionSettings) -> Deleted:
    """What is older than the settings say. Raises StorageUnavailable."""
    now = clock.now()
    deleted = delete_expired(
        database,
        readings_before=now - timedelta(seconds=settings.readings_s),
        history_before=now - timedelta(seconds=settings.history_s),
    )
    log.info("expired records deleted", extra=fields("retention.done", **deleted.rows))
    return deleted


async def watch_clock(clock: Clock) -> None:
    """Log when the system's clock was set back, and when it has been caught up with."""
    ahead_logged = False
    while True:
        await clock.sleep(_CLOCK_CHECK_S)
        ahead = clock.ahead()
        if ahead_logged is (ahead >= _AHEAD):
            continue
        ahead_logged = not ahead_logged
        if ahead_logged:
            log.warning(
                "the system's clock is behind the latest readings: until it has caught up, time goes on at "
                "half speed here",
                extra=fields("clock.set_back", seconds=round(ahead.total_seconds())),
            )
        else:
            log.info("the system's clock has caught up", extra=fields("clock.caught_up"))


async def hold_database_lease(lease: DatabaseLease, clock: Clock) -> None:
    """It renews itself. Raises MustStop when another service took it over."""

    def check() -> None:
        try:
            lease.check()
        except Conflict as taken:
            raise MustStop(str(taken)) from taken

    await every(RENEW_EVERY_S, clock, check, "database_lease")


async def watch_private_server(server: PrivateServer, pools: Sequence[Database], clock: Clock) -> None:
    """Start the private database again whenever it ends by itself."""
    while True:
        await clock.sleep(_SERVER_CHECK_S)
        if server.running():
            continue
        log.error("the private database ended", extra=fields("database.ended"))
        try:
            url = await asyncio.to_thread(server.start)
        except KiteRollError as failed:
            log.error(
                "the private database does not start", extra=fields("database.failed", error=str(failed))
            )
        else:
            for pool in pools:
                pool.move_to(url)
