"""Who reads which switch: the poller is given those that are read from here, and how each is asked."""

import asyncio
import json
import logging
from collections.abc import Callable
from datetime import datetime, timedelta

from kiteroll.app.ingest import Outcome
from kiteroll.app.logs import fields
from kiteroll.collect.credential import make_target
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.collect.poller import Poller, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.core.errors import KiteRollError
from kiteroll.store import inventory, sites
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)


class SwitchAssignments:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        poller: Poller[Outcome | None],
        limits: Limits,
        elsewhere: Callable[[str], bool] = lambda site: False,
        on_elsewhere: Callable[[str], None] = lambda site: None,
    ) -> None:
        """`limits` are those of switches without their own. `elsewhere`: whether collectors read the switches
        of a site; `on_elsewhere` is called when they are to read something else."""
        self._database = database
        self._vault = vault
        self._poller = poller
        self._limits = limits
        self._targets: dict[int, tuple[str, Target]] = {}
        """Switches polled over SNMP, by id: name, and how."""
        self._elsewhere = elsewhere
        self._on_elsewhere = on_elsewhere
        self._sites_elsewhere: dict[int, str] = {}
        """Of switches that collectors read, by id."""

    async def start(self) -> None:
        """Poll every switch of the inventory, each when it was due next."""
        for name, concurrency in (await asyncio.to_thread(self._database.run, sites.site_limits)).items():
            self._poller.limit_site(name, concurrency)
        for row in await asyncio.to_thread(self._database.run, inventory.all_switches):
            # A restart of the service is no reason to read every switch at once.
            self.assign(row, row.next_try_at)

    def poll_targets(self) -> dict[str, Target]:
        """Switches polled over SNMP, by name."""
        return dict(self._targets.values())

    def site_elsewhere(self, switch: int) -> str | None:
        """The site whose collectors read a switch, by id; None: it is read from here, or not at all."""
        return self._sites_elsewhere.get(switch)

    def limit_site(self, site: str, concurrency: int | None) -> None:
        """How many switches of it are read at once; None: no limit of its own."""
        self._poller.limit_site(site, concurrency)
        self._on_elsewhere(site)

    async def reassign_site(self, site: str) -> None:
        """Its collectors are other ones, or there are none any more. Raises StorageUnavailable."""
        for row in await asyncio.to_thread(self._database.run, inventory.all_switches):
            if row.site == site:
                self.assign(row, row.next_try_at)

    async def reassign_users_of(self, credential: str) -> None:
        """Switches that use a named credential, which is another one now, are read at once. Raises
        StorageUnavailable."""
        for row in await asyncio.to_thread(self._database.run, inventory.all_switches):
            if row.credential_name == credential:
                self.assign(row)

    def assign(self, row: SwitchRow, due_at: datetime | None = None) -> None:
        self._targets.pop(row.id, None)
        before = self._sites_elsewhere.pop(row.id, None)
        now = row.site if row.is_read and self._elsewhere(row.site) else None
        if now is not None:
            self._sites_elsewhere[row.id] = now
        for site in filter(None, {before, now}):
            self._on_elsewhere(site)
        if not row.is_read or now is not None:
            self._poller.dismiss(row.id)
            return
        try:
            target = self._target(row)
        except KiteRollError as wrong:
            log.error(
                "switch cannot be read", extra=fields("vault.failed", switch=row.name, error=str(wrong))
            )
            return
        if isinstance(target, Target):
            self._targets[row.id] = (row.name, target)
        poll_target = PollTarget(
            switch=row.id,
            name=row.name,
            agent=target,
            interval=timedelta(seconds=row.interval_s),
            site=row.site,
            limits=self._limits.of_switch(row.timeout_s, row.tries),
        )
        self._poller.assign(poll_target, due_at)

    def dismiss(self, switch: int) -> None:
        """One that left the inventory, by id."""
        self._targets.pop(switch, None)
        self._poller.dismiss(switch)
        if (site := self._sites_elsewhere.pop(switch, None)) is not None:
            self._on_elsewhere(site)

    def _target(self, row: SwitchRow) -> Target | Bridge:
        if row.source == "linux":
            return Bridge.parse(row.host)
        credential = json.loads(self._vault.open(row.credential_sealed or b""))
        return make_target(row.host, row.udp_port, credential)
