"""Notifies systemd of its state (sd_notify): ready, stopping, and that the event loop still turns.

Without systemd, which sets NOTIFY_SOCKET and WATCHDOG_USEC, it says nothing to nobody.
"""

import asyncio
import os
import socket
from collections.abc import Iterator, MutableMapping
from contextlib import contextmanager, suppress

from kiteroll.clock import Clock


class ServiceManager:
    def __init__(self, environment: MutableMapping[str, str] = os.environ) -> None:
        """Takes its variables out of `environment`: a database server that is started would speak for us."""
        self._address = environment.pop("NOTIFY_SOCKET", "")
        usec = environment.pop("WATCHDOG_USEC", "")
        ours = environment.pop("WATCHDOG_PID", str(os.getpid())) == str(os.getpid())
        self._watchdog_s = int(usec) / 1e6 if usec.isdigit() and ours else None

    @property
    def watches(self) -> bool:
        """Whether signs of life are expected."""
        return bool(self._address) and self._watchdog_s is not None

    def ready(self) -> None:
        self._notify("READY=1")

    def stopping(self) -> None:
        self._notify("STOPPING=1")

    @contextmanager
    def notified(self, clock: Clock) -> Iterator[None]:
        """In an event loop: says that it is ready, that it lives meanwhile, and in the end that it stops."""
        self.ready()
        alive = asyncio.create_task(self.signs_of_life(clock)) if self.watches else None
        try:
            yield
        finally:
            if alive is not None:
                alive.cancel()
            self.stopping()

    async def signs_of_life(self, clock: Clock) -> None:
        """From the event loop, three times as often as they are expected: one that hangs says nothing."""
        while True:
            self._notify("WATCHDOG=1")
            await clock.sleep((self._watchdog_s or 60.0) / 3)

    def _notify(self, text: str) -> None:
        if not self._address:
            return
        # A leading @ stands for a socket without a name in the file system.
        address = f"\0{self._address[1:]}" if self._address.startswith("@") else self._address
        with suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as sock:
            sock.connect(address)
            sock.send(text.encode())
