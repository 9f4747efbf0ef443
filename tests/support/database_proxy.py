"""Stands between the service and its database on loopback: passes on, holds everything back without a
word, or cuts every connection."""

import selectors
import socket
import threading
from contextlib import suppress
from types import TracebackType
from typing import Self, cast

from sqlalchemy.engine import URL


class DatabaseProxy:
    """A context manager; `url` is where the service finds the database."""

    def __init__(self, database: URL) -> None:
        self._to = (database.host or "127.0.0.1", database.port or 3306)
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = database.set(host="127.0.0.1", port=self._listener.getsockname()[1])
        self._pairs: dict[socket.socket, socket.socket] = {}
        self._silent = threading.Event()
        self._ended = threading.Event()
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._run, name="database-proxy", daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._ended.set()
        self._thread.join(5)
        self._listener.close()
        self.cut()

    def point_to(self, database: URL) -> None:
        """The database answers elsewhere now."""
        self._to = (database.host or "127.0.0.1", database.port or 3306)

    def hold_back(self) -> None:
        """From now on nothing comes through, and no connection ends: a black hole."""
        self._silent.set()

    def pass_on(self) -> None:
        """Everything comes through again. What was held back is lost, with its connections."""
        self.cut()
        self._silent.clear()

    def cut(self) -> None:
        with self._lock:
            pairs, self._pairs = self._pairs, {}
        for one in pairs:
            one.close()

    def _run(self) -> None:
        selector = selectors.DefaultSelector()
        self._listener.setblocking(False)
        while not self._ended.is_set():
            with self._lock:
                watched = [self._listener, *self._pairs]
            for one in watched:
                with suppress(OSError, ValueError, KeyError):  # `cut` closes them at any moment
                    selector.register(one, selectors.EVENT_READ)
            ready = [key.fileobj for key, _ in selector.select(0.02)]
            for key in list(selector.get_map().values()):
                selector.unregister(key.fileobj)
            if self._silent.is_set():
                self._ended.wait(0.02)
                continue
            for found in ready:
                one = cast(socket.socket, found)
                self._accept() if one is self._listener else self._forward(one)
        selector.close()

    def _accept(self) -> None:
        client, _ = self._listener.accept()
        try:
            server = socket.create_connection(self._to, 5)
        except OSError:
            client.close()
            return
        with self._lock:
            self._pairs[client], self._pairs[server] = server, client

    def _forward(self, one: socket.socket) -> None:
        other = self._pairs.get(one)
        if other is None:
            return
        try:
            octets = one.recv(65536)
            if octets:
                other.sendall(octets)
                return
        except OSError:
            pass
        with self._lock:
            self._pairs.pop(one, None)
            self._pairs.pop(other, None)
        one.close()
        other.close()
