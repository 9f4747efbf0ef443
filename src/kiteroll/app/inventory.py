"""The inventory: adding, changing and removing switches, applied to the running service at once."""

import asyncio
import json
import logging
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, TypeVar

from kiteroll.app.events import EventBus, InventoryChanged
from kiteroll.app.ingest import Outcome
from kiteroll.app.logs import fields
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.collect.credential import make_target
from kiteroll.collect.identify import Identity, identify
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.collect.poller import Poller, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.core.errors import Invalid, InvalidParts, KiteRollError, NotFound
from kiteroll.core.model.host import check_host
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.core.tracking.switch_health import SwitchHealth
from kiteroll.store import credentials, groups, inventory, sites
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.inventory_changes import NothingChanged, change_all
from kiteroll.store.sites import SiteRow
from kiteroll.store.vault import Vault

__all__ = ["Access", "ChosenAccess", "CredentialRow", "GroupSettings", "Inventory", "SiteRow"]

log = logging.getLogger(__name__)
_IMPORTED_EVERY_S = 86_400
"""Of a switch whose files somebody brings, unless it says how often it is expected."""
T = TypeVar("T", SiteRow, "GroupSettings", CredentialRow)


@dataclass(frozen=True, slots=True)
class Access:
    """How a switch is polled: the settings `kiteroll.collect.credential.make_target` knows."""

    settings: Mapping[str, Any] = field(repr=False)
    kind: str
    """What may be shown of it."""


ChosenAccess = Access | str | None
"""A switch's own access, or the name of a credential, or neither."""


@dataclass(frozen=True, slots=True)
class SwitchGiven:
    """What is said of a switch that is added or changed, as in `Inventory.add_switch`."""

    values: Mapping[str, Any]
    chosen: "ChosenAccess"


@dataclass(frozen=True, slots=True)
class GroupSettings:
    name: str
    switches: int
    hold_time_s: int | None
    shares_tables: bool


class Inventory:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        clock: Clock,
        turns: Turns,
        fleet: TrackedFleet,
        poller: Poller[Outcome | None],
        limits: Limits,
        interval_s: Callable[[], float],
        bus: EventBus,
        elsewhere: Callable[[str], bool] = lambda site: False,
        on_elsewhere: Callable[[str], None] = lambda site: None,
    ) -> None:
        """`limits` and `interval_s` are those of switches without their own. `elsewhere`: whether collectors
        read the switches of a site; `on_elsewhere` is told when they are to read something else."""
        self._database = database
        self._vault = vault
        self._clock = clock
        self._turns = turns
        self._fleet = fleet
        self._poller = poller
        self._bus = bus
        self._limits = limits
        self._interval_s = interval_s
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

    async def add_switch(self, given: Mapping[str, Any], chosen: ChosenAccess) -> SwitchRow:
        """`given`: name, source, host, port, site, groups, notes, interval_s, timeout_s, tries, table_size,
        hold_time_s, enabled; all checked but for the host. Raises Conflict when the name is taken,
        NotFound for a credential that is not there."""

        def work() -> SwitchRow:
            values = self._added(given, chosen)
            row = self._database.run(inventory.add_switch, self._clock.now(), **values)
            self._fleet.reload_hold_times()
            self._fleet.name_switch(row.id, row.name)
            return row

        return await self._apply(work)

    async def change_switch(self, name: str, given: Mapping[str, Any], chosen: ChosenAccess) -> SwitchRow:
        """`given`: what is to be another value, named as in `add_switch`. Raises NotFound, Invalid, or
        Conflict when the new name is taken."""

        def work() -> SwitchRow:
            values = self._changed(name, given, chosen)
            row = self._database.run(inventory.change_switch, self._clock.now(), name, values)
            self._fleet.reload_hold_times()
            self._fleet.name_switch(row.id, row.name)
            return row

        return await self._apply(work)

    async def change_many(
        self, added: Sequence[SwitchGiven], changed: Mapping[str, SwitchGiven], *, dry_run: bool
    ) -> None:
        """Add and change as one. Raises InvalidParts naming every switch with which something is wrong."""

        def work() -> list[SwitchRow]:
            new, other, problems = [], {}, []
            for one in added:
                try:
                    new.append(self._added(one.values, one.chosen))
                except KiteRollError as wrong:
                    problems.append((str(one.values["name"]), str(wrong)))
            for name, one in changed.items():
                try:
                    other[name] = self._changed(name, one.values, one.chosen)
                except KiteRollError as wrong:
                    problems.append((name, str(wrong)))
            if problems:
                raise InvalidParts("nothing was changed", problems)
            try:
                rows = self._database.run(change_all, self._clock.now(), new, other, dry_run=dry_run)
            except NothingChanged:
                return []
            self._fleet.reload_hold_times()
            for row in rows:
                self._fleet.name_switch(row.id, row.name)
            return rows

        rows = await self._turns.run_next(work)
        for row in rows:
            self.assign(row)
        if rows:
            self._bus.publish(InventoryChanged())

    def _added(self, given: Mapping[str, Any], chosen: ChosenAccess) -> dict[str, Any]:
        """Columns of a new switch. Raises Invalid, or NotFound for a credential that is not there."""
        values = _columns(given)
        usual_s = _IMPORTED_EVERY_S if values["source"] == "files" else round(self._interval_s())
        values["interval_s"] = values["interval_s"] or usual_s
        _check_host(values["source"], values["host"])
        values.update(self._write_columns(values))
        if values["source"] == "snmp":
            values.update(self._credential_columns(chosen))
        return values

    def _changed(self, name: str, given: Mapping[str, Any], chosen: ChosenAccess) -> dict[str, Any]:
        """Columns that become other ones. Raises NotFound or Invalid."""
        values = _columns(given)
        row = self._database.run(inventory.get_switch, name)
        source = row.source
        if values.get("enabled", row.enabled) != row.enabled:
            health = SwitchHealth.UNREAD if values["enabled"] else SwitchHealth.OFF
            values |= {"health": health.value, "health_since": self._clock.now()}
        values.update(self._write_columns(values))
        if "host" in values:
            _check_host(source, values["host"])
        if chosen:
            if source != "snmp":
                raise Invalid(f"{name} is not polled over SNMP (its source is {source}): no credential")
            values.update(self._credential_columns(chosen))
        return values

    async def _apply(self, work: Callable[[], SwitchRow]) -> SwitchRow:
        row = await self._turns.run_next(work)
        self.assign(row)
        self._bus.publish(InventoryChanged())
        return row

    async def change_credential(self, name: str, access: Access) -> CredentialRow:
        """Every switch that uses it is polled with the new one from now on. Raises NotFound."""
        sealed = self._vault.seal(json.dumps(access.settings))

        def work() -> CredentialRow:
            return self._database.run(credentials.change_credential, name, access.kind, sealed)

        row = await self._turns.run_next(work)
        for one in await asyncio.to_thread(self._database.run, inventory.all_switches):
            if one.credential_name == name:
                self.assign(one)
        return row

    def add_credential(self, name: str, access: Access) -> CredentialRow:
        """Raises Conflict when the name is taken."""
        sealed = self._vault.seal(json.dumps(access.settings))
        return self._database.run(credentials.add_credential, self._clock.now(), name, access.kind, sealed)

    def _credential_columns(self, chosen: ChosenAccess) -> dict[str, Any]:
        """Columns of the credential a switch is read with. Raises NotFound."""
        if isinstance(chosen, Access):
            sealed = self._vault.seal(json.dumps(chosen.settings))
            return {"credential_id": None, "credential_sealed": sealed, "credential_kind": chosen.kind}
        row = self._database.run(credentials.get_credential, chosen or "")
        return {"credential_id": row.id, "credential_sealed": None, "credential_kind": row.kind}

    def _write_columns(self, values: dict[str, Any]) -> dict[str, Any]:
        """The column of the credential to write with; its name, if given, is taken out of `values`. Raises
        NotFound."""
        if "write_credential" not in values:
            return {}
        name = values.pop("write_credential")
        return {
            "write_credential_id": self._database.run(credentials.get_credential, name).id if name else None
        }

    async def remove_switch(self, name: str) -> None:
        """End every stay on it and take it out of the inventory; its history stays. Raises NotFound."""

        def work() -> int:
            row = self._database.run(inventory.get_switch, name)
            at = self._clock.now()
            if row.tracked_in:
                self._fleet.reclaim((row.id,))
            changes = self._fleet.tracker.forget(name, at)
            try:
                self._database.run(inventory.remove_switch, row.id, at, changes)
            except BaseException:
                self._fleet.load()
                raise
            self._fleet.drop_switch(row.id)
            return row.id

        switch_id = await self._turns.run_next(work)
        self._targets.pop(switch_id, None)
        self._poller.dismiss(switch_id)
        if (site := self._sites_elsewhere.pop(switch_id, None)) is not None:
            self._on_elsewhere(site)
        self._bus.publish(InventoryChanged())

    def credentials(self) -> list[CredentialRow]:
        """Named ones, by name."""
        return self._database.run(credentials.all_credentials)

    def remove_credential(self, name: str) -> None:
        """Raises NotFound, or Conflict while switches use it."""
        self._database.run(credentials.remove_credential, name)

    def credential(self, name: str) -> CredentialRow:
        """A named one. Raises NotFound."""
        return _named(self.credentials(), name, "credential")

    def site(self, name: str) -> SiteRow:
        """Raises NotFound."""
        return _named(self.sites(), name, "site")

    def group(self, name: str) -> GroupSettings:
        """Raises NotFound."""
        return _named(self.groups(), name, "group")

    def sites(self) -> list[SiteRow]:
        return self._database.run(sites.sites)

    def groups(self) -> list[GroupSettings]:
        own = self._database.run(groups.group_settings)
        counts = Counter(name for row in self._database.run(inventory.all_switches) for name in row.in_groups)
        nothing = groups.GroupRow()
        return [
            GroupSettings(name, counts[name], one.hold_time_s, one.shares_tables)
            for name in sorted(own.keys() | counts.keys())
            for one in (own.get(name, nothing),)
        ]

    async def change_group(self, name: str, values: Mapping[str, Any]) -> None:
        """Set hold_time_s or shares_tables; what is not given stays. Raises NotFound."""

        def work() -> None:
            self.group(name)  # a mistyped name must not be set for nobody
            self._database.run(groups.change_group, name, values)
            self._fleet.reload_hold_times()

        await self._turns.run_next(work)

    async def change_site(self, name: str, values: Mapping[str, Any]) -> None:
        """Set concurrency or area; what is not given stays. Raises NotFound."""

        def work() -> None:
            self.site(name)  # a mistyped name must not be set for nobody
            self._database.run(sites.change_site, name, values)

        await asyncio.to_thread(work)
        if "concurrency" in values:
            self._poller.limit_site(name, values["concurrency"])
            self._on_elsewhere(name)

    async def test_credential(self, host: str, port: int, chosen: ChosenAccess) -> Identity:
        """Raises NotFound for a credential that is not there; DeviceError when it does not work."""
        if isinstance(chosen, Access):
            settings = chosen.settings
        else:
            row = await asyncio.to_thread(self._database.run, credentials.get_credential, chosen or "")
            settings = json.loads(self._vault.open(row.sealed))
        return await identify(make_target(host, port, settings), self._clock, self._limits)

    def poll_targets(self) -> dict[str, Target]:
        """Switches polled over SNMP, by name."""
        return dict(self._targets.values())

    def site_elsewhere(self, switch: int) -> str | None:
        """The site whose collectors read a switch, by id; None: it is read from here, or not at all."""
        return self._sites_elsewhere.get(switch)

    async def reassign_site(self, site: str) -> None:
        """Its collectors are other ones, or there are none any more. Raises StorageUnavailable."""
        for row in await asyncio.to_thread(self._database.run, inventory.all_switches):
            if row.site == site:
                self.assign(row, row.next_try_at)

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

    def _target(self, row: SwitchRow) -> Target | Bridge:
        if row.source == "linux":
            return Bridge.parse(row.host)
        credential = json.loads(self._vault.open(row.credential_sealed or b""))
        return make_target(row.host, row.udp_port, credential)


def _named(rows: Iterable[T], name: str, kind: str) -> T:
    """Raises NotFound, with names that are nearly the same."""
    by_name = {row.name: row for row in rows}
    if name not in by_name:
        hint = did_you_mean(name, by_name, f"`kiteroll {kind} list` shows those there are")
        raise NotFound(kind, name, hint)
    return by_name[name]


def _check_host(source: str, host: str) -> None:
    """Raises Invalid when a switch of this source cannot be at `host`."""
    try:
        if source == "linux":
            Bridge.parse(host)
        elif source == "snmp":
            check_host(host)
    except ValueError as wrong:
        raise Invalid(str(wrong)) from wrong


def _columns(given: Mapping[str, Any]) -> dict[str, Any]:
    names = {"port": "udp_port", "groups": "in_groups"}
    values = {names.get(key, key): value for key, value in given.items()}
    if "in_groups" in values:
        values["in_groups"] = sorted(set(values["in_groups"]))
    return values
