"""The inventory: adding, changing and removing switches, applied to the running service at once."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kiteroll.app.events import EventBus, InventoryChanged
from kiteroll.app.named_credentials import Access, ChosenAccess, sealed_access
from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.core.errors import Invalid, InvalidParts, KiteRollError
from kiteroll.core.model.host import check_host
from kiteroll.core.tracking.switch_health import SwitchHealth
from kiteroll.store import credentials, inventory
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.inventory_changes import NothingChanged, change_all
from kiteroll.store.vault import Vault

_IMPORTED_EVERY_S = 86_400
"""Of a switch whose files somebody brings, unless it says how often it is expected."""


@dataclass(frozen=True, slots=True)
class SwitchGiven:
    """The settings of a switch that is added or changed, as in `Inventory.add_switch`."""

    values: Mapping[str, Any]
    chosen: ChosenAccess


class Inventory:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        clock: Clock,
        turns: Turns,
        fleet: TrackedFleet,
        assignments: SwitchAssignments,
        interval_s: Callable[[], float],
        bus: EventBus,
    ) -> None:
        """`interval_s`: of switches without their own."""
        self._database = database
        self._vault = vault
        self._clock = clock
        self._turns = turns
        self._fleet = fleet
        self._assignments = assignments
        self._interval_s = interval_s
        self._bus = bus

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
            self._assignments.assign(row)
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
        self._assignments.assign(row)
        self._bus.publish(InventoryChanged())
        return row

    def _credential_columns(self, chosen: ChosenAccess) -> dict[str, Any]:
        """Columns of the credential a switch is read with. Raises NotFound."""
        if isinstance(chosen, Access):
            sealed = sealed_access(self._vault, chosen)
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

        self._assignments.dismiss(await self._turns.run_next(work))
        self._bus.publish(InventoryChanged())


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
