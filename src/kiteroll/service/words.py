"""What things are called, in memory: names and aliases of ports, and host names, for the search."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Mapping
from typing import TYPE_CHECKING

from kiteroll.collect.rounds import Attempt
from kiteroll.core.errors import KiteRollError
from kiteroll.core.reading import Reading
from kiteroll.core.words import WordIndex
from kiteroll.service.logs import fields
from kiteroll.store import names, overview
from kiteroll.store.database import Database

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)
_RENEW_S = 3.0
_FEW = 10_000
"""Host names that have ended are dropped now and then; so many more are no matter."""
PortKey = tuple[int, str]
"""Id of a switch, and the name of a port."""


class Words:
    """Readings say what ports are called, records what hosts are. What comes new is found some
    seconds later: putting a hundred thousand names in a row takes too long to do it for each."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._ports: dict[int, Mapping[str, str]] = {}
        self._ports_differ = False
        self._hosts: list[tuple[str, int]] = []
        self._hosts_once = 0
        """How many there were when they were read whole."""
        self._last_host = 0
        self.ports: WordIndex[PortKey] = WordIndex(())
        self.aliases: WordIndex[PortKey] = WordIndex(())
        self.hosts: WordIndex[int] = WordIndex(())
        """By number of the record of a host name."""

    def load(self) -> None:
        """Raises StorageUnavailable."""
        ports: dict[int, dict[str, str]] = defaultdict(dict)
        for switch_id, name, alias in self._database.run(overview.port_words):
            ports[switch_id][name] = alias
        self._ports = dict(ports)
        self._ports_differ = True
        self.renew()

    def note(self, attempt: Attempt) -> None:
        """What a reading tells. Called in the intake's thread."""
        reading = attempt.outcome
        if not isinstance(reading, Reading):
            return
        known = self._ports.get(attempt.switch, {})
        told = {port.name: port.alias for port in reading.ports}
        now = told if reading.complete else {**known, **told}
        if now != known:
            self._ports[attempt.switch] = now
            self._ports_differ = True

    def renew(self) -> None:
        """Put what is new in its place. Raises StorageUnavailable."""
        more = self._database.run(names.host_words, self._last_host)
        if len(self._hosts) + len(more) > 2 * self._hosts_once + _FEW:
            # Half of them may be names of the past by now: begin anew.
            self._hosts, self._hosts_once = [], 0
            more = self._database.run(names.host_words, 0)
        if more:
            self._last_host = more[-1][1]
            self._hosts += more
            self._hosts_once = self._hosts_once or len(more)
            self.hosts = WordIndex(self._hosts)
        if self._ports_differ:
            self._ports_differ = False
            each = [(switch, ports.items()) for switch, ports in list(self._ports.items())]
            self.ports = WordIndex((name, (switch, name)) for switch, ports in each for name, _ in ports)
            self.aliases = WordIndex(
                (alias, (switch, name)) for switch, ports in each for name, alias in ports if alias
            )

    async def keep_fresh(self, service: "Service") -> None:
        while True:
            await service.clock.sleep(_RENEW_S)
            try:
                await asyncio.to_thread(self.renew)
            except KiteRollError as away:
                log.warning("the search waits for names", extra=fields("words.wait", error=str(away)))
