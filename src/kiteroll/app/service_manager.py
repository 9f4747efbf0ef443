"""Notifies systemd of its state (sd_notify): starting, standing by, ready, stopping, and that the event loop
still turns.

Without systemd, which sets NOTIFY_SOCKET and WATCHDOG_USEC, it says nothing to nobody.
"""

import asyncio
import os
import socket
import threading
from collections.abc import Iterator, MutableMapping
from contextlib import contextmanager, suppress

from kiteroll.clock import Clock

_STARTING_EVERY_S = 15.0
_MORE_TIME_S = 60


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

    @contextmanager
    def starting(self) -> Iterator[None]:
        """Meanwhile a start may take longer than the unit says: tables are brought to a new version, or
        records read. Each step has a bound of its own."""
        over = threading.Event()

        def go_on() -> None:
            while not over.wait(_STARTING_EVERY_S):
                # One that stood by counts as started: signs of life are expected of it already.
                self._notify(f"EXTEND_TIMEOUT_USEC={_MORE_TIME_S * 1_000_000}\nWATCHDOG=1")

        thread = threading.Thread(target=go_on, name="starting", daemon=True)
        thread.start()
        try:
            yield
        finally:
            over.set()
            thread.join()

    def standing_by(self, why: str) -> None:
        """It waits for another service, maybe for days: that counts as started."""
        self._notify(f"READY=1\nSTATUS={' '.join(why.split())}")

    def ready(self) -> None:
        self._notify("READY=1\nSTATUS=")

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
