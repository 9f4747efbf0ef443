"""Reads a switch soon after it said that a link went up or down."""

import asyncio
import ipaddress
import json
import logging
import socket
from collections import defaultdict
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.collect.agent import Target
from kiteroll.collect.notifications import Notifications, OwnEngine, Sender
from kiteroll.core.errors import ConfigError, Conflict, KiteRollError
from kiteroll.core.settling import Settling
from kiteroll.service.config import NotificationSettings
from kiteroll.service.logs import fields
from kiteroll.snmp.notice import Notice
from kiteroll.store.vault import write_private

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)


def bind(settings: NotificationSettings) -> socket.socket:
    """Raises Conflict when the port is taken or may not be used."""
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    sock = socket.socket(family, socket.SOCK_DGRAM)
    try:
        sock.bind((settings.host, settings.port))
    except OSError as taken:
        sock.close()
        raise Conflict(
            f"cannot hear notifications on {settings.host} port {settings.port}/udp: {taken.strerror}. Ports "
            "below 1024 take root or CAP_NET_BIND_SERVICE; choose another with notifications.port"
        ) from taken
    sock.setblocking(False)
    return sock


def own_engine(file: Path) -> OwnEngine:
    """Who we are as an SNMP engine; its count of starts goes up by one. Raises ConfigError."""
    try:
        kept: dict[str, Any] = {"id": OwnEngine.new_id().hex(), "boots": 0}
        if file.exists():
            kept = json.loads(file.read_text())
        engine = OwnEngine(bytes.fromhex(kept["id"]), int(kept["boots"]) + 1)
        write_private(file, json.dumps({"id": engine.id.hex(), "boots": engine.boots}))
    except (OSError, ValueError, KeyError, TypeError) as wrong:
        told = f"the file of our SNMP engine cannot be used: {wrong}. Remove it, and a new one is written"
        raise ConfigError(str(file), (told,)) from wrong
    return engine


class Nudges:
    def __init__(self, service: "Service", sock: socket.socket, engine: OwnEngine, settle_s: float) -> None:
        self._service = service
        self._socket = sock
        self._settling = Settling(timedelta(seconds=settle_s))
        self._wake = asyncio.Event()
        self._senders: dict[str, list[Sender]] = defaultdict(list)
        self.ear = Notifications(engine, service.clock, lambda host: self._senders.get(host, ()), self._hear)

    def know(self, targets: dict[str, Target]) -> None:
        """The switches that may be heard: name to how each is asked. Host names are looked up."""
        senders: dict[str, list[Sender]] = defaultdict(list)
        for name, target in targets.items():
            for address in _addresses(target.host):
                senders[address].append(Sender(name, target.user))
        self._senders = senders

    async def run(self) -> None:
        loop = asyncio.get_running_loop()
        transport, _ = await loop.create_datagram_endpoint(lambda: self.ear, sock=self._socket)
        try:
            async with asyncio.TaskGroup() as tasks:
                while True:
                    for name in self._settling.take_due(self._service.clock.now()):
                        tasks.create_task(self._read(name), name=f"nudged:{name}")
                    await self._sleep()
        finally:
            transport.close()

    def _hear(self, switches: Sequence[str], notice: Notice) -> None:
        if not notice.name:
            return
        now = self._service.clock.now()
        for name in switches:
            log.info(
                "notification",
                extra=fields("notice.heard", switch=name, notice=notice.name, interface=notice.interface),
            )
            self._settling.call(name, now)
        self._wake.set()

    async def _read(self, name: str) -> None:
        try:
            # A reading under way may have passed the port already: the next one counts.
            await self._service.read_next(name)
        except KiteRollError as wrong:
            log.warning("not read after its notification", extra=fields("notice.unread", error=str(wrong)))

    async def _sleep(self) -> None:
        self._wake.clear()
        due_at = self._settling.next_due()
        clock = self._service.clock
        wait_s = None if due_at is None else max(0.05, (due_at - clock.now()).total_seconds())
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
