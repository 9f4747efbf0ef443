"""Stands between the service and a switch on loopback: passes on, and may keep back what follows a SET."""

import selectors
import socket
import threading
from contextlib import suppress
from types import TracebackType
from typing import Self

from kiteroll.snmp.message import PduType, decode_message
from tests.support.ports import free_udp_port


class UdpRelay:
    """A context manager; what is sent to `port` goes to the agent."""

    def __init__(self, agent: tuple[str, int]) -> None:
        self._agent = agent
        self.port = free_udp_port()
        self._front = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._front.bind(("127.0.0.1", self.port))
        self._backs: dict[socket.socket, tuple[str, int]] = {}
        self._by_client: dict[tuple[str, int], socket.socket] = {}
        self._ended = threading.Event()
        self._watching = threading.Event()
        self.set_came = threading.Event()
        """A SET was passed on, and nothing comes back from then on."""
        self._thread = threading.Thread(target=self._run, daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._ended.set()
        self._thread.join(5)
        for one in (self._front, *self._backs):
            one.close()

    def silence_after_set(self) -> None:
        self._watching.set()

    def pass_on(self) -> None:
        self._watching.clear()
        self.set_came.clear()

    def _run(self) -> None:
        selector = selectors.DefaultSelector()
        selector.register(self._front, selectors.EVENT_READ)
        while not self._ended.is_set():
            for key, _ in selector.select(0.1):
                with suppress(OSError):
                    self._pass(key.fileobj, selector)  # type: ignore[arg-type]  # registered above

    def _pass(self, sock: socket.socket, selector: selectors.BaseSelector) -> None:
        data, sender = sock.recvfrom(65535)
        if sock is not self._front:
            if not self.set_came.is_set():
                self._front.sendto(data, self._backs[sock])
            return
        if self._watching.is_set() and decode_message(data).pdu.kind == PduType.SET:
            self.set_came.set()
        if sender not in self._by_client:
            back = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            back.connect(self._agent)
            self._backs[back], self._by_client[sender] = sender, back
            selector.register(back, selectors.EVENT_READ)
        self._by_client[sender].send(data)
