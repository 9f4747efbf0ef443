"""The composition root of a collector: builds its parts, keeps it connected, stops it when it is told to."""

import asyncio
import logging
import signal
from collections.abc import Callable
from contextlib import AsyncExitStack, ExitStack
from datetime import timedelta

from kiteroll.app.config import Config, require
from kiteroll.app.data_lock import held
from kiteroll.app.logs import fields
from kiteroll.app.service_manager import ServiceManager
from kiteroll.app.workers.notification_reader import NotificationReader, bind, local_engine
from kiteroll.bus import names
from kiteroll.bus.connection import connected
from kiteroll.bus.site import SiteBus
from kiteroll.collector.centre_clock import CentreClock
from kiteroll.collector.kept_targets import TargetStore
from kiteroll.collector.role import CollectorRole
from kiteroll.core.errors import BusUnavailable

log = logging.getLogger(__name__)
_AGAIN_S = 2.0


def check(config: Config) -> None:
    """Raises ConfigError naming all that a collector lacks."""
    needs = (
        (config.bus.url, "the URL of the site's message engine (NATS)", "bus.url"),
        (config.collector.name, "the name of this collector", "collector.name"),
        (config.collector.site, "the site it reads", "collector.site"),
    )
    require("a collector", needs)


def run(config: Config, ready: Callable[[TargetStore], None] = lambda store: None) -> None:
    """Until SIGTERM or SIGINT. `ready` is called once it works on what it has. Raises ConfigError, or
    Conflict when its data directory or the port for notifications is in use."""
    check(config)
    with held(config.data_dir), ExitStack() as stack:
        store = TargetStore.open(config.data_dir, config.collector.name, config.collector.site)
        asyncio.run(_run(config, store, stack, ready))


async def _run(
    config: Config, store: TargetStore, stack: ExitStack, ready: Callable[[TargetStore], None]
) -> None:
    clock = CentreClock(store.read_clock())
    role = CollectorRole(store, clock, config.reading.limits(), config.reading.concurrency)
    stopped = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stopped.set)
    async with AsyncExitStack() as ending:
        tasks = [asyncio.create_task(role.run(), name="collector")]
        tasks.append(asyncio.create_task(_stay_connected(config, role), name="bus"))
        if config.notifications.enabled:
            reader = NotificationReader(
                stack.enter_context(bind(config.notifications)),
                local_engine(config.data_dir / "engine.json"),
                role,
                role.targets,
                clock,
                timedelta(seconds=config.notifications.debounce_s),
                config.notifications.communities,
            )
            tasks.append(asyncio.create_task(reader.run(), name="notifications"))
        ending.push_async_callback(_end, tasks)
        ending.push_async_callback(role.stop)
        waiting = asyncio.create_task(stopped.wait(), name="stop")
        log.info("collector started", extra=fields("collector.started", site=store.site))
        ready(store)
        with ServiceManager().notified(clock):
            done, _ = await asyncio.wait({waiting, *tasks}, return_when=asyncio.FIRST_COMPLETED)
        for task in done - {waiting}:
            task.result()  # what ended by itself has failed: that is raised
    log.info("collector stopped", extra=fields("collector.stopped", site=store.site))


async def _stay_connected(config: Config, role: CollectorRole) -> None:
    """Tried again until the site's server is there; from then on the connection comes back by itself."""
    site = config.collector.site
    inbox = names.inbox(names.site_token(site))
    while True:
        try:
            async with connected(config.bus, f"collector {config.collector.name}", inbox) as client:
                await role.use(SiteBus(client, config.bus, site, config.collector.name))
                await asyncio.Event().wait()
        except BusUnavailable as away:
            log.warning("no message engine", extra=fields("bus.away", error=str(away)))
        await asyncio.sleep(_AGAIN_S)


async def _end(tasks: list[asyncio.Task[None]]) -> None:
    for task in tasks:
        task.cancel()
    await asyncio.gather(*tasks, return_exceptions=True)
