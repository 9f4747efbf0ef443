"""Readings handed over to the message engine of a site, as a collector does."""

import asyncio
from collections.abc import Sequence

from tests.support.cluster import COLLECTOR, NatsServer

from kiteroll.bus.messages import Read
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.site import SiteBus

_AT_ONCE = 64


def settings_at(site: NatsServer) -> BusSettings:
    return BusSettings(url=site.url, user="collector", password=COLLECTOR)


async def hand_over(bus: SiteBus, reads: Sequence[Read]) -> None:
    """Returns once the engine has all of them."""
    slots = asyncio.Semaphore(_AT_ONCE)

    async def one(read: Read) -> None:
        async with slots:
            await bus.publish(read)

    await asyncio.gather(*map(one, reads))
