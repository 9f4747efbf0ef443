"""The service as one object: what it is made of, and how it starts and stops."""

import asyncio
import json
import logging
import random
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from kiteroll.clock import Clock
from kiteroll.collect.credential import make_target
from kiteroll.collect.limits import Limits
from kiteroll.collect.rounds import Assignment, Attempt, Rounds
from kiteroll.core.changes import Change
from kiteroll.core.errors import ConfigError, KiteRollError
from kiteroll.schemas.api import Credential, NewSwitch, SwitchChange
from kiteroll.service.access import Access
from kiteroll.service.answers import UplinkView
from kiteroll.service.config import Config
from kiteroll.service.hub import Hub
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.service.telling import events_of
from kiteroll.store import credentials, inventory
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


class Service:
    """Made in two steps: `prepare` (blocking, raises clear errors, nothing running yet) and `start`
    (in the event loop). `stop` undoes both and may be called after either."""

    def __init__(self, config: Config, clock: Clock) -> None:
        self.config = config
        self.clock = clock
        self.started_at = clock.now()
        self._server: PrivateServer | None = None
        self._tasks: list[asyncio.Task[None]] = []

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
            self.intake = Intake(self.database, None if hold is None else timedelta(seconds=hold), self._tell)
            self.intake.load()
        except BaseException:
            self.close_storage()
            raise
        self.uplinks = UplinkView(self.database, self.clock)

    async def start(self) -> None:
        reading = self.config.reading
        self.hub = Hub()
        limits = Limits(
            timeout_s=reading.timeout_s, tries=reading.tries, total_s=reading.total_s, rows=reading.rows
        )
        self.rounds = Rounds(
            self.clock, limits, self.intake.take, concurrency=reading.at_once, jitter=random.random
        )
        for row in await asyncio.to_thread(self.database.run, inventory.all_switches):
            self._assign(row)
        self._spawn(self.rounds.run(), "rounds")
        self._spawn(self._let_old_go(), "retention")
        if self._server is not None:
            self._spawn(self._watch_server(self._server), "database-watch")
        log.info("service started", extra=fields("service.started", data_dir=str(self.config.data_dir)))

    async def stop(self) -> None:
        """No new readings; what is being written is finished; then the database goes down."""
        self.hub.close()
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
                "enabled": new.enabled,
                "health": "unread" if new.enabled else "off",
                **self._asking(new.credential, new.access),
            }
            row = self.database.run(inventory.add_switch, self.clock.now(), **values)
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
            if change.credential is not None or change.access is not None:
                values.update(self._asking(change.credential, change.access))
            row = self.database.run(inventory.change_switch, name, values)
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

        self.rounds.dismiss(await self.intake.change(work))

    async def read_now(self, name: str) -> Attempt:
        """Raises NotFound, Conflict while it is being read, StorageUnavailable."""
        row = await asyncio.to_thread(self.database.run, inventory.get_switch, name)
        return await self.rounds.read_now(row.id)

    # --- inside ---------------------------------------------------------------------------

    def _assign(self, row: SwitchRow) -> None:
        if not row.enabled:
            self.rounds.dismiss(row.id)
            return
        try:
            credential = json.loads(self.vault.open(row.credential_sealed or b""))
            target = make_target(row.host, row.udp_port, credential)
        except KiteRollError as wrong:
            log.error(
                "switch cannot be read", extra=fields("vault.failed", switch=row.name, error=str(wrong))
            )
            return
        self.rounds.assign(
            Assignment(
                switch=row.id, name=row.name, target=target, interval=timedelta(seconds=row.interval_s)
            )
        )

    def _tell(self, attempt: Attempt, changes: Sequence[Change]) -> None:
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
