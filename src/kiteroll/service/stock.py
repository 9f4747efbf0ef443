"""The inventory while the service runs: what is changed is kept, and reading goes on by it at once."""

import asyncio
import json
import logging
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from kiteroll.clock import Clock
from kiteroll.collect.agent import Target
from kiteroll.collect.credential import make_target
from kiteroll.collect.greet import Greeting, greet
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.collect.rounds import Assignment, Rounds
from kiteroll.core.errors import Invalid, KiteRollError
from kiteroll.schemas.api import Credential, CredentialTest, NewSwitch, SwitchChange, check_host
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.store import credentials, holds, inventory, sites
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)


class Stock:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        clock: Clock,
        intake: Intake,
        rounds: Rounds,
        limits: Limits,
        interval_s: float,
    ) -> None:
        """`limits` and `interval_s` are those of switches without their own."""
        self._database = database
        self._vault = vault
        self._clock = clock
        self._intake = intake
        self._rounds = rounds
        self._limits = limits
        self._interval_s = interval_s
        self.targets: dict[int, tuple[str, Target]] = {}
        """Switches asked over SNMP, by id: name, and how."""

    async def start(self) -> None:
        """Read everything that is in the inventory, each on the beat it had."""
        for name, at_once in (await asyncio.to_thread(self._database.run, sites.site_limits)).items():
            self._rounds.limit_site(name, at_once)
        for row in await asyncio.to_thread(self._database.run, inventory.all_switches):
            # A restart of ours is no reason to ask everybody at once.
            self.assign(row, row.next_try_at)

    async def add_switch(self, new: NewSwitch) -> SwitchRow:
        """Raises Conflict when the name is taken, NotFound for a credential that is not there."""

        def work() -> SwitchRow:
            values = {
                "name": new.name,
                "host": new.host,
                "udp_port": new.port,
                "site": new.site,
                "in_groups": sorted(set(new.groups)),
                "notes": new.notes,
                "interval_s": new.interval_s or round(self._interval_s),
                "source": new.source,
                "timeout_s": new.timeout_s,
                "tries": new.tries,
                "table_size": new.table_size,
                "hold_s": new.hold_s,
                "enabled": new.enabled,
                "health": "unread" if new.enabled else "off",
                **(self._asking(new.credential, new.access) if new.source == "snmp" else {}),
            }
            _check_host(new.source, new.host)
            row = self._database.run(inventory.add_switch, self._clock.now(), **values)
            self._intake.renew_holds()
            self._intake.switches[row.id] = row.name
            return row

        row = await self._intake.change(work)
        self.assign(row)
        return row

    async def change_switch(self, name: str, change: SwitchChange) -> SwitchRow:
        """Raises NotFound, or Conflict when the new name is taken."""
        given = change.model_dump(exclude_none=True, exclude={"credential", "access"})
        columns = {"port": "udp_port", "groups": "in_groups"}
        values: dict[str, Any] = {columns.get(key, key): value for key, value in given.items()}
        if "enabled" in values:
            values["health"] = "unread" if values["enabled"] else "off"

        def work() -> SwitchRow:
            source = self._database.run(inventory.get_switch, name).source
            if change.host is not None:
                _check_host(source, change.host)
            if change.credential is not None or change.access is not None:
                if source != "snmp":
                    raise Invalid(f"{name} is not asked over SNMP (its source is {source}): no credential")
                values.update(self._asking(change.credential, change.access))
            row = self._database.run(inventory.change_switch, name, values)
            self._intake.renew_holds()
            if row.name != name:
                self._intake.tracker.rename(name, row.name)
                self._intake.switches[row.id] = row.name
            return row

        row = await self._intake.change(work)
        self.assign(row)
        return row

    async def change_credential(self, name: str, access: Credential) -> CredentialRow:
        """Every switch that uses it is asked by the new one from now on. Raises NotFound."""
        sealed = self._vault.seal(access.model_dump_json(exclude_none=True))

        def work() -> CredentialRow:
            return self._database.run(credentials.change_credential, name, access.kind, sealed)

        row = await self._intake.change(work)
        for one in await asyncio.to_thread(self._database.run, inventory.all_switches):
            if one.credential_name == name:
                self.assign(one)
        return row

    def _asking(self, named: str | None, own: Credential | None) -> dict[str, Any]:
        """Columns that say how a switch is asked. Raises NotFound."""
        if own is not None:
            sealed = self._vault.seal(own.model_dump_json(exclude_none=True))
            return {"credential_id": None, "credential_sealed": sealed, "asked_as": own.kind}
        row = self._database.run(credentials.get_credential, named)
        return {"credential_id": row.id, "credential_sealed": None, "asked_as": row.kind}

    async def remove_switch(self, name: str) -> None:
        """End every stay on it and take it out of the inventory; its history stays. Raises NotFound."""

        def work() -> int:
            row = self._database.run(inventory.get_switch, name)
            at = self._clock.now()
            changes = self._intake.tracker.forget(name, at)
            try:
                self._database.run(inventory.remove_switch, row.id, at, changes)
            except BaseException:
                self._intake.load()
                raise
            del self._intake.switches[row.id]
            return row.id

        switch_id = await self._intake.change(work)
        self.targets.pop(switch_id, None)
        self._rounds.dismiss(switch_id)

    async def set_group_hold(self, name: str, hold_s: int | None) -> None:
        def work() -> None:
            self._database.run(holds.set_group_hold, name, hold_s)
            self._intake.renew_holds()

        await self._intake.change(work)

    async def limit_site(self, name: str, at_once: int | None) -> None:
        await asyncio.to_thread(self._database.run, sites.limit_site, name, at_once)
        self._rounds.limit_site(name, at_once)

    async def test_credential(self, test: CredentialTest) -> Greeting:
        """Raises NotFound for a credential that is not there; DeviceError when it does not work."""
        access = test.access
        if access is None:
            row = await asyncio.to_thread(self._database.run, credentials.get_credential, test.credential)
            access = Credential.model_validate_json(self._vault.open(row.sealed))
        target = make_target(test.host, test.port, access.model_dump(exclude_none=True))
        return await greet(target, self._clock, self._limits)

    def assign(self, row: SwitchRow, due_at: datetime | None = None) -> None:
        self.targets.pop(row.id, None)
        if not row.enabled or row.source == "files":
            self._rounds.dismiss(row.id)
            return
        try:
            target = self._target(row)
        except KiteRollError as wrong:
            log.error(
                "switch cannot be read", extra=fields("vault.failed", switch=row.name, error=str(wrong))
            )
            return
        if isinstance(target, Target):
            self.targets[row.id] = (row.name, target)
        limits = replace(
            self._limits,
            timeout_s=row.timeout_s or self._limits.timeout_s,
            tries=row.tries or self._limits.tries,
        )
        assignment = Assignment(
            switch=row.id,
            name=row.name,
            target=target,
            interval=timedelta(seconds=row.interval_s),
            site=row.site,
            limits=limits,
        )
        self._rounds.assign(assignment, due_at)

    def _target(self, row: SwitchRow) -> Target | Bridge:
        if row.source == "linux":
            return Bridge.parse(row.host)
        credential = json.loads(self._vault.open(row.credential_sealed or b""))
        return make_target(row.host, row.udp_port, credential)


def _check_host(source: str, host: str) -> None:
    """Raises Invalid when a switch of this source cannot be at `host`."""
    try:
        if source == "linux":
            Bridge.parse(host)
        elif source == "snmp":
            check_host(host)
    except ValueError as wrong:
        raise Invalid(str(wrong)) from wrong
