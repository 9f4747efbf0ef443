"""Reads a switch soon after it sent a notification, such as that a link went up or down."""

import asyncio
import ipaddress
import json
import logging
import socket
from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any, Protocol

from kiteroll.app.logs import fields
from kiteroll.app.settings import NotificationSettings
from kiteroll.clock import Clock
from kiteroll.collect.notification_listener import LocalEngine, NotificationListener, Sender
from kiteroll.collect.snmp_client import Target
from kiteroll.core.errors import ConfigError, Conflict, KiteRollError
from kiteroll.core.scheduling.debounce import Debounce
from kiteroll.private_file import write_private
from kiteroll.snmp.notification import Notification

log = logging.getLogger(__name__)


class Reads(Protocol):
    async def read_next(self, name: str) -> object:
        """Read a switch, right after the reading that is under way. Raises KiteRollError."""


_SENDERS_EVERY_S = 5.0
_LOG_EVERY_S = 60.0


def bind(settings: NotificationSettings) -> socket.socket:
    """Raises Conflict when the port is taken or may not be used."""
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    sock = socket.socket(family, socket.SOCK_DGRAM)
    try:
        sock.bind((settings.host, settings.port))
    except OSError as taken:
        sock.close()
        raise Conflict(
            f"cannot listen for notifications on {settings.host} port {settings.port}/udp: {taken.strerror}. "
            "Ports below 1024 take root or CAP_NET_BIND_SERVICE; choose another with notifications.port"
        ) from taken
    sock.setblocking(False)
    return sock


def local_engine(file: Path) -> LocalEngine:
    """The local SNMP engine; its count of boots goes up by one. Raises ConfigError."""
    try:
        saved: dict[str, Any] = {"id": LocalEngine.new_id().hex(), "boots": 0}
        if file.exists():
            saved = json.loads(file.read_text())
        engine = LocalEngine(bytes.fromhex(saved["id"]), int(saved["boots"]) + 1)
        write_private(file, json.dumps({"id": engine.id.hex(), "boots": engine.boots}))
    except (OSError, ValueError, KeyError, TypeError) as wrong:
        problem = (
            f"the file of the local SNMP engine cannot be used: {wrong}. Remove it, and a new one is written"
        )
        raise ConfigError(str(file), (problem,)) from wrong
    return engine


class NotificationReader:
    def __init__(
        self,
        sock: socket.socket,
        engine: LocalEngine,
        reads: Reads,
        targets: Callable[[], dict[str, Target]],
        clock: Clock,
        debounce: timedelta,
        communities: Sequence[str] = (),
    ) -> None:
        """`targets`: the switches that may be heard, name to how each is polled. `communities`: those that
        v2c notifications may say beside the one their switch is polled with."""
        self._socket = sock
        self._reads = reads
        self._targets = targets
        self._clock = clock
        self._debounce = Debounce(debounce)
        self._communities = frozenset(one.encode() for one in communities)
        self._wake = asyncio.Event()
        self._senders: dict[str, list[Sender]] = defaultdict(list)
        self._listener = NotificationListener(
            engine, clock, lambda host: self._senders.get(host, ()), self._on_notification
        )

    def _resolve_senders(self, targets: dict[str, Target]) -> None:
        """Host names of switches are looked up."""
        senders: dict[str, list[Sender]] = defaultdict(list)
        for name, target in targets.items():
            for address in _addresses(target.host):
                communities = self._communities | {target.community.encode()}
                senders[address].append(Sender(name, target.user, communities))
        self._senders = senders

    async def run(self) -> None:
        loop = asyncio.get_running_loop()
        # A copy of the socket: closing the transport must not close the one a restart needs.
        transport, _ = await loop.create_datagram_endpoint(lambda: self._listener, sock=self._socket.dup())
        try:
            async with asyncio.TaskGroup() as tasks:
                tasks.create_task(self._refresh_senders(), name="notification-senders")
                while True:
                    for name in self._debounce.pop_due(self._clock.now()):
                        tasks.create_task(self._read(name), name=f"notified:{name}")
                    await self._sleep()
        finally:
            transport.close()

    async def _refresh_senders(self) -> None:
        """Keep who may be heard in step with the inventory and the DNS."""
        logged = 0
        logged_at = self._clock.monotonic()
        while True:
            await asyncio.to_thread(self._resolve_senders, self._targets())
            await self._clock.sleep(_SENDERS_EVERY_S)
            dropped, now = self._listener.dropped, self._clock.monotonic()
            if dropped > logged and now - logged_at >= _LOG_EVERY_S:
                log.warning(
                    "notifications dropped: unknown sender or community, not authenticated, or too many",
                    extra=fields("notification.dropped", count=dropped - logged),
                )
                logged, logged_at = dropped, now

    def _on_notification(self, switches: Sequence[str], notice: Notification) -> None:
        if not notice.name:
            return
        now = self._clock.now()
        for name in switches:
            # Of a burst the first counts: however many there are, they bring one reading.
            if self._debounce.trigger(name, now):
                extra = fields(
                    "notification.received", switch=name, kind=notice.name, interface=notice.interface
                )
                log.info("notification", extra=extra)
        self._wake.set()

    async def _read(self, name: str) -> None:
        try:
            # A reading under way may have passed the port already: the next one counts.
            await self._reads.read_next(name)
        except KiteRollError as wrong:
            log.warning(
                "not read after its notification", extra=fields("notification.not_read", error=str(wrong))
            )

    async def _sleep(self) -> None:
        self._wake.clear()
        due_at = self._debounce.next_due()
        wait_s = None if due_at is None else max(0.05, (due_at - self._clock.now()).total_seconds())
        try:
            async with asyncio.timeout(wait_s):
                await self._wake.wait()
        except TimeoutError:
            pass


def _addresses(host: str) -> list[str]:
    try:
        return [str(ipaddress.ip_address(host))]
    except ValueError:
        pass
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_DGRAM)
    except OSError:
        return []
    return sorted({str(one[4][0]) for one in found})
