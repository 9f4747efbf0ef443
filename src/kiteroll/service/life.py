"""The service as one object: what it is made of, and how it starts and stops."""

import asyncio
import json
import logging
import random
import socket
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from kiteroll.clock import Clock
from kiteroll.collect.agent import Target
from kiteroll.collect.credential import make_target
from kiteroll.collect.greet import Greeting, greet
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.collect.rounds import Assignment, Attempt, Rounds
from kiteroll.core.changes import Change
from kiteroll.core.errors import ConfigError, Conflict, Invalid, KiteRollError, NotFound
from kiteroll.core.findings.model import Thresholds
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import Assigned
from kiteroll.schemas.api import Credential, CredentialTest, NewRound, NewSwitch, SwitchChange, check_host
from kiteroll.service.access import Access
from kiteroll.service.asked_rounds import AskedRounds
from kiteroll.service.config import Config, FindingSettings
from kiteroll.service.focus import Focus
from kiteroll.service.hub import Hub
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.service.makers import MakerView
from kiteroll.service.naming import Naming
from kiteroll.service.nudges import Nudges, bind, own_engine
from kiteroll.service.taking import Folder
from kiteroll.service.telling import events_of
from kiteroll.service.topology import TopologyView
from kiteroll.service.watchman import Watchman
from kiteroll.store import asked_rounds, credentials, holds, inventory, sites
from kiteroll.store.asked_rounds import RoundRow
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.retention import drop_old
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)

_WATCH_S = 2.0
_RETENTION_S = 3600.0
_SENDERS_S = 5.0
_BUSY_S = 0.3


class Service:
    """Made in two steps: `prepare` (blocking, raises clear errors, nothing running yet) and `start`
    (in the event loop). `stop` undoes both and may be called after either."""

    def __init__(self, config: Config, clock: Clock) -> None:
        self.config = config
        self.clock = clock
        self.started_at = clock.now()
        self._server: PrivateServer | None = None
        self._tasks: list[asyncio.Task[None]] = []
        self._targets: dict[int, tuple[str, Target]] = {}
        """Switches asked over SNMP, by id: name, and how."""

    def prepare(self) -> None:
        """Database, migrations, secrets. Raises ConfigError, StorageUnavailable or Conflict."""
        config = self.config
        try:
            config.data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as wrong:
            raise ConfigError(
                str(config.data_dir), (f"cannot be made: {wrong.strerror} @ data_dir",)
            ) from wrong
        self.access = Access(config.data_dir)
        self.vault = Vault(config.data_dir / "secrets.key")
        if config.database.url:
            self.database = Database(config.database.url)
            self.database.check()
        else:
            self._server = PrivateServer(config.data_dir / "database")
            self.database = Database(self._server.start())
        try:
            migrate(self.database)
            hold = config.tracking.hold_s
            self.intake = Intake(self.database, None if hold is None else timedelta(seconds=hold), self.tell)
            self.intake.load()
            self.database.run(asked_rounds.break_off_running)
        except BaseException:
            self.close_storage()
            raise
        self.topology = TopologyView(self.database, self.clock, self.intake)
        self.watchman = Watchman(self, _thresholds(config.findings))
        self.watchman.load()
        self.makers = MakerView(self.database)
        self.makers.reload()
        self._naming = Naming(self, config.names) if config.names.look_up else None
        self._ear: socket.socket | None = None
        if config.notifications.listen:
            self._engine = own_engine(config.data_dir / "engine.json")
            try:
                self._ear = bind(config.notifications)
            except BaseException:
                self.close_storage()
                raise

    async def start(self) -> None:
        reading = self.config.reading
        self.hub = Hub()
        self.limits = Limits(
            timeout_s=reading.timeout_s, tries=reading.tries, total_s=reading.total_s, rows=reading.rows
        )
        self.rounds = Rounds(
            self.clock, self.limits, self.intake.take, concurrency=reading.at_once, jitter=random.random
        )
        self.asked_rounds = AskedRounds(self.database, self.clock, self.read_next)
        for name, at_once in self.database.run(sites.site_limits).items():
            self.rounds.limit_site(name, at_once)
        for row in await asyncio.to_thread(self.database.run, inventory.all_switches):
            # The beat goes on where it was: a restart of ours is no reason to ask everybody at once.
            self._assign(row, row.next_try_at)
        self._spawn(self.rounds.run(), "rounds")
        self._spawn(self._let_old_go(), "retention")
        self.focus = Focus(self)
        self._spawn(self.watchman.run(), "findings")
        self._spawn(self.focus.run(), "focus")
        self._spawn(self.topology.keep_fresh(), "topology")
        if self._ear is not None:
            self.nudges = Nudges(self, self._ear, self._engine, self.config.notifications.settle_s)
            self._spawn(self.nudges.run(), "notifications")
            self._spawn(self._know_senders(), "notification-senders")
        if self._naming is not None:
            self._spawn(self._naming.run(), "names")
        if self.config.files.folder is not None:
            self._spawn(Folder(self, self.config.files.folder).watch(), "files")
        if self._server is not None:
            self._spawn(self._watch_server(self._server), "database-watch")
        log.info("service started", extra=fields("service.started", data_dir=str(self.config.data_dir)))

    async def stop(self) -> None:
        """No new readings; what is being written is finished; then the database goes down."""
        self.hub.close()
        await self.asked_rounds.stop()
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        await asyncio.to_thread(self.intake.stop)
        await asyncio.to_thread(self.close_storage)
        log.info("service stopped", extra=fields("service.stopped"))

    def close_storage(self) -> None:
        self.database.close()
        if self._server is not None:
            self._server.stop()

    # --- inventory ------------------------------------------------------------------------

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
                "interval_s": new.interval_s or round(self.config.reading.interval_s),
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
            row = self.database.run(inventory.add_switch, self.clock.now(), **values)
            self.intake.renew_holds()
            self.intake.switches[row.id] = row.name
            return row

        row = await self.intake.change(work)
        self._assign(row)
        return row

    async def change_switch(self, name: str, change: SwitchChange) -> SwitchRow:
        """Raises NotFound, or Conflict when the new name is taken."""
        given = change.model_dump(exclude_none=True, exclude={"credential", "access"})
        columns = {"port": "udp_port", "groups": "in_groups"}
        values: dict[str, Any] = {columns.get(key, key): value for key, value in given.items()}
        if "enabled" in values:
            values["health"] = "unread" if values["enabled"] else "off"

        def work() -> SwitchRow:
            source = self.database.run(inventory.get_switch, name).source
            if change.host is not None:
                _check_host(source, change.host)
            if change.credential is not None or change.access is not None:
                if source != "snmp":
                    raise Invalid(f"{name} is not asked over SNMP (its source is {source}): no credential")
                values.update(self._asking(change.credential, change.access))
            row = self.database.run(inventory.change_switch, name, values)
            self.intake.renew_holds()
            if row.name != name:
                self.intake.tracker.rename(name, row.name)
                self.intake.switches[row.id] = row.name
            return row

        row = await self.intake.change(work)
        self._assign(row)
        return row

    async def change_credential(self, name: str, access: Credential) -> CredentialRow:
        """Every switch that uses it is asked by the new one from now on. Raises NotFound."""
        sealed = self.vault.seal(access.model_dump_json(exclude_none=True))

        def work() -> CredentialRow:
            return self.database.run(credentials.change_credential, name, access.kind, sealed)

        row = await self.intake.change(work)
        for one in await asyncio.to_thread(self.database.run, inventory.all_switches):
            if one.credential_name == name:
                self._assign(one)
        return row

    def _asking(self, named: str | None, own: Credential | None) -> dict[str, Any]:
        """Columns that say how a switch is asked. Raises NotFound."""
        if own is not None:
            sealed = self.vault.seal(own.model_dump_json(exclude_none=True))
            return {"credential_id": None, "credential_sealed": sealed, "asked_as": own.kind}
        row = self.database.run(credentials.get_credential, named)
        return {"credential_id": row.id, "credential_sealed": None, "asked_as": row.kind}

    async def remove_switch(self, name: str) -> None:
        """End every stay on it and take it out of the inventory; its history stays. Raises NotFound."""

        def work() -> int:
            row = self.database.run(inventory.get_switch, name)
            at = self.clock.now()
            changes = self.intake.tracker.forget(name, at)
            try:
                self.database.run(inventory.remove_switch, row.id, at, changes)
            except BaseException:
                self.intake.load()
                raise
            del self.intake.switches[row.id]
            return row.id

        switch_id = await self.intake.change(work)
        self._targets.pop(switch_id, None)
        self.rounds.dismiss(switch_id)

    async def read_now(self, name: str) -> Attempt:
        """Raises NotFound, Conflict while it is being read, StorageUnavailable."""
        row = await asyncio.to_thread(self.database.run, inventory.get_switch, name)
        return await self.rounds.read_now(row.id)

    async def read_next(self, name: str) -> Attempt:
        """Read a switch now; where it is being read this moment, right after that."""
        while True:
            try:
                return await self.read_now(name)
            except Conflict:
                await self.clock.sleep(_BUSY_S)

    async def begin_round(self, new: NewRound) -> RoundRow:
        """Raises NotFound for a name or a group that is not there, Conflict while another round runs."""
        rows = await asyncio.to_thread(self.database.run, inventory.all_switches)
        known = {row.name: row for row in rows if row.source != "files"}
        if new.switches:
            for name in new.switches:
                if name not in known:
                    raise NotFound("switch to read", name, "`kiteroll switch list` shows the inventory")
            names = list(dict.fromkeys(new.switches))
        else:
            names = sorted(
                row.name for row in known.values() if row.enabled and (new.all or new.group in row.in_groups)
            )
        if not names:
            raise NotFound("switch to read", new.group or "all", "none in the inventory fits")
        return await self.asked_rounds.begin(names)

    def present(self, rows: Sequence[SwitchRow]) -> dict[int, int]:
        """Addresses present on each of these switches, by id, as the tracker has them."""
        return {row.id: self.intake.tracker.present(row.name) for row in rows}

    def maker_of(self, mac: MacAddress) -> tuple[str, Assigned]:
        return self.makers.told(mac, self.intake.index)

    async def set_group_hold(self, name: str, hold_s: int | None) -> None:
        def work() -> None:
            self.database.run(holds.set_group_hold, name, hold_s)
            self.intake.renew_holds()

        await self.intake.change(work)

    async def limit_site(self, name: str, at_once: int | None) -> None:
        await asyncio.to_thread(self.database.run, sites.limit_site, name, at_once)
        self.rounds.limit_site(name, at_once)

    async def test_credential(self, test: CredentialTest) -> Greeting:
        """Raises NotFound for a credential that is not there; DeviceError when it does not work."""
        access = test.access
        if access is None:
            row = await asyncio.to_thread(self.database.run, credentials.get_credential, test.credential)
            access = Credential.model_validate_json(self.vault.open(row.sealed))
        target = make_target(test.host, test.port, access.model_dump(exclude_none=True))
        return await greet(target, self.clock, self.limits)

    # --- inside ---------------------------------------------------------------------------

    def _assign(self, row: SwitchRow, due_at: datetime | None = None) -> None:
        self._targets.pop(row.id, None)
        if not row.enabled or row.source == "files":
            self.rounds.dismiss(row.id)
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
        limits = replace(
            self.limits,
            timeout_s=row.timeout_s or self.limits.timeout_s,
            tries=row.tries or self.limits.tries,
        )
        assignment = Assignment(
            switch=row.id,
            name=row.name,
            target=target,
            interval=timedelta(seconds=row.interval_s),
            site=row.site,
            limits=limits,
        )
        self.rounds.assign(assignment, due_at)

    def _target(self, row: SwitchRow) -> Target | Bridge:
        if row.source == "linux":
            return Bridge.parse(row.host)
        credential = json.loads(self.vault.open(row.credential_sealed or b""))
        return make_target(row.host, row.udp_port, credential)

    async def _know_senders(self) -> None:
        """Keep who may be heard in step with the inventory and the DNS."""
        while True:
            await asyncio.to_thread(self.nudges.know, dict(self._targets.values()))
            await self.clock.sleep(_SENDERS_S)

    def tell(self, attempt: Attempt, changes: Sequence[Change]) -> None:
        self.watchman.note(attempt, changes)
        for event in events_of(attempt, changes):
            self.hub.publish(event)

    def _spawn(self, work: Any, name: str) -> None:
        task: asyncio.Task[None] = asyncio.create_task(work, name=name)
        task.add_done_callback(self._ended)
        self._tasks.append(task)

    def _ended(self, task: "asyncio.Task[None]") -> None:
        if not task.cancelled() and task.exception() is not None:
            log.critical(
                "a part of the service ended",
                exc_info=task.exception(),
                extra=fields("service.broken", part=task.get_name()),
            )
            self.on_broken()

    def on_broken(self) -> None:
        """Called when a part ended by a bug; whoever runs the service sets what is to happen."""

    async def _let_old_go(self) -> None:
        keep = self.config.keep
        while True:
            await self.clock.sleep(_RETENTION_S)
            now = self.clock.now()
            try:
                gone = await asyncio.to_thread(
                    drop_old,
                    self.database,
                    readings_before=now - timedelta(seconds=keep.readings_s),
                    history_before=now - timedelta(seconds=keep.history_s),
                )
            except KiteRollError as away:
                log.warning("old records stay for now", extra=fields("retention.failed", error=str(away)))
            else:
                log.info("old records let go", extra=fields("retention.done", **gone))

    async def _watch_server(self, server: PrivateServer) -> None:
        """Start the private database again whenever it ends by itself."""
        while True:
            await self.clock.sleep(_WATCH_S)
            if server.running():
                continue
            log.error("the private database ended", extra=fields("database.ended"))
            try:
                url = await asyncio.to_thread(server.start)
            except KiteRollError as failed:
                log.error(
                    "the private database does not start", extra=fields("database.failed", error=str(failed))
                )
            else:
                self.database.move_to(url)


def _thresholds(settings: FindingSettings) -> Thresholds:
    return Thresholds(
        jumps=settings.jumps,
        window=timedelta(seconds=settings.window_s),
        storm_addresses=settings.storm_addresses,
        flood_addresses=settings.flood_addresses,
        silent_after=timedelta(seconds=settings.silent_after_s),
        table_share=settings.table_share,
        quiet=timedelta(seconds=settings.quiet_s),
    )


def _check_host(source: str, host: str) -> None:
    """Raises Invalid when a switch of this source cannot be at `host`."""
    try:
        if source == "linux":
            Bridge.parse(host)
        elif source == "snmp":
            check_host(host)
    except ValueError as wrong:
        raise Invalid(str(wrong)) from wrong
