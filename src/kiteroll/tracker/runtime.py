"""The composition root of a tracker: opens what it needs, runs it, stops it when it is told to."""

import asyncio
import logging
import signal
import threading
from collections.abc import Callable
from contextlib import suppress

from kiteroll.app.config import Config, require
from kiteroll.app.logs import fields
from kiteroll.app.service_manager import ServiceManager
from kiteroll.app.storage import await_tables
from kiteroll.clock import SystemClock
from kiteroll.memory import collect_seldom
from kiteroll.store.database import Database
from kiteroll.tracker.role import TrackerRole

log = logging.getLogger(__name__)


def check(config: Config) -> None:
    """Raises ConfigError naming all that a tracker lacks."""
    needs = (
        (config.database.url, "the database of the service", "database.url"),
        (config.bus.url, "the URL of the message engine (NATS) at the centre", "bus.url"),
        (config.tracker.area, "the area whose switches it tracks", "tracker.area"),
    )
    require("a tracker", needs)


def run(config: Config, ready: Callable[[], None] = lambda: None) -> None:
    """Until SIGTERM or SIGINT. `ready` is called each time the area is this tracker's. Raises ConfigError, or
    Conflict where the tables of the database are of a newer version."""
    check(config)
    collect_seldom()
    database = Database(config.database.url, pool_size=4, overflow=4, answer_s=60, follows=True)
    try:
        asyncio.run(_run(config, database, ready))
    finally:
        database.close()


async def _run(config: Config, database: Database, ready: Callable[[], None]) -> None:
    clock = SystemClock()
    role = TrackerRole(database, config, clock)
    tracking = asyncio.create_task(_track(role, database, ready), name="tracker")
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, tracking.cancel)
    extra = fields("tracker.started", area=config.tracker.area)
    log.info("tracker started", extra=extra)
    # It is ready before the area is its own: it may stand by for days.
    with ServiceManager().notified(clock), suppress(asyncio.CancelledError):
        await tracking
    database.abort()  # threads that still wait for it would hold up the end
    log.info("tracker stopped", extra=fields("tracker.stopped", area=config.tracker.area))


async def _track(role: TrackerRole, database: Database, ready: Callable[[], None]) -> None:
    stopped = threading.Event()
    try:
        await asyncio.to_thread(await_tables, database, stopped=stopped)
    finally:
        stopped.set()  # a thread is not cancelled with whoever waits for it
    await role.run(ready)
