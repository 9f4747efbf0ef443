"""The service as one object: what it is made of, and how it starts and stops."""

import asyncio
import logging
import random
import socket
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from kiteroll.clock import Clock
from kiteroll.collect.limits import Limits
from kiteroll.collect.rounds import Attempt, Rounds
from kiteroll.core.changes import Change
from kiteroll.core.errors import ConfigError, Conflict, KiteRollError, NotFound, StorageUnavailable
from kiteroll.core.findings.model import Thresholds
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import Assigned
from kiteroll.schemas.api import NewRound
from kiteroll.service.access import Access
from kiteroll.service.asked_rounds import AskedRounds
from kiteroll.service.config import Config, FindingSettings
from kiteroll.service.focus import Focus
from kiteroll.service.hub import Hub
from kiteroll.service.intake import Intake
from kiteroll.service.logs import fields
from kiteroll.service.makers import MakerView
from kiteroll.service.metrics import Metrics
from kiteroll.service.naming import Naming
from kiteroll.service.nudges import Nudges, bind, own_engine
from kiteroll.service.stock import Stock
from kiteroll.service.taking import Folder
from kiteroll.service.telling import events_of
from kiteroll.service.topology import TopologyView
from kiteroll.service.watchman import Watchman
from kiteroll.service.words import Words
from kiteroll.store import asked_rounds, inventory
from kiteroll.store.asked_rounds import RoundRow
from kiteroll.store.claim import HOLD_EVERY_S, Claim
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
        self._claim: Claim | None = None
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
            if config.database.url:
                # The private server needs none: the lock of its data directory holds.
                self._claim = Claim(self.database)
                self._claim.hold()
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
        self.words = Words(self.database)
        self.words.load()
        self.metrics = Metrics(self)
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
        self.stock = Stock(
            self.database,
            self.vault,
            self.clock,
            self.intake,
            self.rounds,
            self.limits,
            reading.interval_s,
        )
        await self.stock.start()
        self._spawn(self.rounds.run(), "rounds")
        self._spawn(self._let_old_go(), "retention")
        self.focus = Focus(self)
        self._spawn(self.watchman.run(), "findings")
        self._spawn(self.focus.run(), "focus")
        self._spawn(self.topology.keep_fresh(), "topology")
        self._spawn(self.words.keep_fresh(self), "words")
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
        if self._claim is not None:
            self._spawn(self._keep_claim(self._claim), "database-claim")
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
        if self._claim is not None:
            self._claim.let_go()
        self.database.close()
        if self._server is not None:
            self._server.stop()

    # --- reading --------------------------------------------------------------------------

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

    def present(self, row: SwitchRow) -> int:
        """Addresses present on a switch, as the tracker has them."""
        return self.intake.tracker.present(row.name)

    def maker_of(self, mac: MacAddress) -> tuple[str, Assigned]:
        return self.makers.told(mac, self.intake.index)

    # --- inside ---------------------------------------------------------------------------

    async def _know_senders(self) -> None:
        """Keep who may be heard in step with the inventory and the DNS."""
        while True:
            await asyncio.to_thread(self.nudges.know, dict(self.stock.targets.values()))
            await self.clock.sleep(_SENDERS_S)

    def tell(self, attempt: Attempt, changes: Sequence[Change]) -> None:
        self.watchman.note(attempt, changes)
        self.words.note(attempt)
        self.metrics.note(attempt, changes)
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

    async def _keep_claim(self, claim: Claim) -> None:
        """Raises Conflict, which ends the service, when another one took the database while it was away."""
        while True:
            await self.clock.sleep(HOLD_EVERY_S)
            try:
                await asyncio.to_thread(claim.hold)
            except StorageUnavailable as away:
                log.warning("the database is away", extra=fields("claim.wait", error=str(away)))

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
        ip_window=timedelta(seconds=settings.ip_window_s),
        ips_after=timedelta(seconds=settings.ips_after_s),
        rule_after=timedelta(seconds=settings.rule_after_s),
        table_share=settings.table_share,
        quiet=timedelta(seconds=settings.quiet_s),
    )
