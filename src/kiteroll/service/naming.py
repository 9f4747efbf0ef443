"""Looks up host names, politely: at a bounded pace, each again only when it is due."""

import asyncio
import logging
from datetime import timedelta
from typing import TYPE_CHECKING

from kiteroll.collect.names import NameServerSilent, NameSource
from kiteroll.core.errors import KiteRollError
from kiteroll.service.config import NameSettings
from kiteroll.service.logs import fields
from kiteroll.store import names

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)
_BATCH = 50
_IDLE_S = 10.0
_PUT_OFF = timedelta(minutes=10)
"""A name that no server could tell is asked for again after this."""
_SERVER_PAUSE_S = 60.0
_GIVE_UP = 5
"""Silent answers in a row after which the servers are left in peace for a while."""


class Naming:
    def __init__(self, service: "Service", settings: NameSettings) -> None:
        """Raises Invalid when the servers are no servers."""
        self._service = service
        self._source = NameSource(settings.servers)
        self._pause_s = 1 / settings.a_second
        self._keep = timedelta(seconds=settings.keep_s)

    async def run(self) -> None:
        clock = self._service.clock
        while True:
            try:
                looked_up = await self._batch()
            except KiteRollError as away:
                log.warning("names wait", extra=fields("names.wait", error=str(away)))
                looked_up = 0
            if looked_up < _BATCH:
                await clock.sleep(_IDLE_S)

    async def _batch(self) -> int:
        database, clock = self._service.database, self._service.clock
        due = await asyncio.to_thread(database.run, names.due_ips, clock.now(), _BATCH)
        found: dict[str, str] = {}
        silent: list[str] = []
        for ip in due:
            try:
                found[ip] = await self._source.name_of(ip)
            except NameServerSilent as why:
                silent.append(ip)
                if len(silent) == _GIVE_UP and not found:
                    log.warning("name servers are silent", extra=fields("names.silent", error=str(why)))
                    await clock.sleep(_SERVER_PAUSE_S)
                    break
            await clock.sleep(self._pause_s)
        now = clock.now()
        if found:
            await asyncio.to_thread(database.run, names.keep_names, found, now, now + self._keep)
        if silent:
            await asyncio.to_thread(database.run, names.put_off, silent, now + _PUT_OFF)
        return len(due)
