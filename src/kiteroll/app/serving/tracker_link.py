"""Where the service is that tracks, and how another one on the same database calls it."""

import asyncio
import ssl
from collections.abc import Mapping
from pathlib import Path

import httpx

from kiteroll.clock import Clock
from kiteroll.core.errors import ConfigError, StorageUnavailable, TrackerAway
from kiteroll.store.database import Database
from kiteroll.store.database_lease import LeaseHolder, holder
from kiteroll.store.vault import Vault

NODE_HEADER = "x-kiteroll-node"
"""Proves that a call comes from another service with the same key."""
NODE_PURPOSE = "services on one database"
CLIENT_HEADER = "x-kiteroll-client"
"""Of a call that is passed on: the address it came from, in place of the node's."""
SCHEME_HEADER = "x-kiteroll-scheme"
"""Whether it came over http or https."""
EVENT_HEADER = "x-kiteroll-event"
"""Of an answer to another service: the latest event by then."""
EVENTS_PATH = "/node/events"
TIMEOUT = httpx.Timeout(10.0, connect=2.0, read=150.0, write=60.0)
"""Seconds. Imports of large files take longest to be answered."""
_CONNECTIONS = httpx.Limits(max_connections=200, max_keepalive_connections=20)
_LOOK_EVERY_S = 0.3


class TrackerLink:
    def __init__(self, database: Database, vault: Vault, ca_file: Path | None, clock: Clock) -> None:
        """Raises ConfigError for certificates that cannot be read."""
        self._database = database
        self._vault = vault
        self._clock = clock
        self._known: LeaseHolder | None = None
        try:
            context = ssl.create_default_context(cafile=None if ca_file is None else str(ca_file))
        except OSError as wrong:
            raise ConfigError(str(ca_file), (f"cannot be read: {wrong} @ node.ca_file",)) from wrong
        self.http = httpx.AsyncClient(verify=context, trust_env=False, timeout=TIMEOUT, limits=_CONNECTIONS)

    def own_headers(self) -> Mapping[str, str]:
        return {NODE_HEADER: self._vault.proof(NODE_PURPOSE)}

    async def find(self, patience_s: float) -> LeaseHolder:
        """Who tracks, as far as is known; waits for one where there is none. Raises TrackerAway."""
        until = self._clock.monotonic() + patience_s
        why = "no service tracks at the moment"
        while self._known is None:
            try:
                found = await asyncio.to_thread(self._database.run, holder)
            except StorageUnavailable as away:
                found, why = None, str(away)
            if found is not None:
                why = "the service that tracks does not say where it is reached: it is of an older version"
            if found is not None and found.url:
                self._known = found
            elif self._clock.monotonic() >= until:
                raise TrackerAway(why)
            else:
                await self._clock.sleep(_LOOK_EVERY_S)
        return self._known

    def lost(self, one: LeaseHolder) -> None:
        """It does not answer: who tracks is to be asked anew."""
        if self._known == one:
            self._known = None
