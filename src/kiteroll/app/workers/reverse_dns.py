"""Looks up host names at a bounded rate, each again only when it is due."""

import asyncio
import logging
from datetime import timedelta

from kiteroll.app.logs import fields
from kiteroll.app.settings import DnsSettings
from kiteroll.clock import Clock
from kiteroll.collect.dns_client import NameServerSilent, ReverseDnsClient
from kiteroll.core.errors import StorageUnavailable
from kiteroll.store import host_names
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_BATCH = 50
_IDLE_S = 10.0
_RETRY_AFTER = timedelta(minutes=10)
"""A name that no server knew is looked up again after this."""
_SERVER_PAUSE_S = 60.0
_GIVE_UP = 5
"""Silent answers in a row after which the servers are left alone for a while."""


class ReverseDnsWorker:
    def __init__(self, database: Database, clock: Clock, settings: DnsSettings) -> None:
        """Raises Invalid when a server's address is none."""
        self._database = database
        self._clock = clock
        self._client = ReverseDnsClient(settings.servers)
        self._pause_s = 1 / settings.rate
        self._ttl = timedelta(seconds=settings.ttl_s)

    async def run(self) -> None:
        while True:
            try:
                looked_up = await self._resolve_due()
            except StorageUnavailable as away:
                log.warning("reverse DNS waits", extra=fields("dns.wait", error=str(away)))
                looked_up = 0
            if looked_up < _BATCH:
                await self._clock.sleep(_IDLE_S)

    async def _resolve_due(self) -> int:
        due = await asyncio.to_thread(self._database.run, host_names.due_ips, self._clock.now(), _BATCH)
        found: dict[str, str] = {}
        silent: list[str] = []
        for ip in due:
            try:
                found[ip] = await self._client.name_of(ip)
            except NameServerSilent as why:
                silent.append(ip)
                if len(silent) == _GIVE_UP and not found:
                    log.warning("name servers are silent", extra=fields("dns.silent", error=str(why)))
                    await self._clock.sleep(_SERVER_PAUSE_S)
                    break
            await self._clock.sleep(self._pause_s)
        now = self._clock.now()
        if found:
            await asyncio.to_thread(self._database.run, host_names.save_names, found, now, now + self._ttl)
        if silent:
            await asyncio.to_thread(self._database.run, host_names.postpone, silent, now + _RETRY_AFTER)
        return len(due)
