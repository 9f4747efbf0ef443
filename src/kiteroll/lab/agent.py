"""Simulated SNMP agents: real UDP on loopback addresses, real messages, answers encoded beforehand."""

import asyncio
import random
import socket
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import TracebackType
from typing import Self

from kiteroll.core.errors import Invalid
from kiteroll.lab.mib_view import MibView
from kiteroll.lab.traits import PLAIN, Traits
from kiteroll.snmp import ber
from kiteroll.snmp.authoritative_engine import AuthoritativeEngine, answer_v3
from kiteroll.snmp.message import (
    V1,
    V2C,
    ErrorStatus,
    Message,
    Pdu,
    PduType,
    decode_message,
    encode_binding,
    encode_pdu,
    wrap,
)

_NO_SUCH_INSTANCE = ber.encode(ber.NO_SUCH_INSTANCE, b"")
_END_OF_MIB_VIEW = ber.encode(ber.END_OF_MIB_VIEW, b"")
_ENVELOPE = 60
"""Octets kept free for everything in a message that is not a variable binding."""
_decode_oid = lru_cache(100_000)(ber.decode_oid)
"""Who reads a table again asks by the same names."""
_BURST = 64
"""Datagrams read from one socket before others get their turn."""


Write = Callable[[ber.Oid, int, bytes], ErrorStatus]
"""Sets an object to a tag and content; NO_ERROR when it is done."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AgentSettings:
    community: str = "tarn-read"
    write_community: str = "tarn-write"
    """Reads as well as it writes."""
    write: Write | None = None
    """None: nothing can be written."""
    max_message: int = 1472
    """Largest message in octets: what fits an Ethernet frame with IPv4 and UDP headers."""
    engine: AuthoritativeEngine | None = None
    """Speaks SNMPv3 only, as this engine."""
    traits: Traits = PLAIN


Views = Mapping[str, MibView]


def answer(views: Views, settings: AgentSettings, request: Message) -> bytes | None:
    """The response message, or None when an agent stays silent (wrong community, not a request)."""
    community = request.community.decode(errors="replace")
    writes = community == settings.write_community
    view = views.get("" if community == settings.community or writes else community or "-")
    if view is None or request.version not in (V1, V2C) or settings.engine is not None:
        return None
    pdu = respond(view, settings, request.version, request.pdu, settings.write if writes else None)
    return None if pdu is None else wrap(request.version, request.community, pdu)


def respond(
    view: MibView, settings: AgentSettings, version: int, pdu: Pdu, write: Write | None = None
) -> bytes | None:
    """The encoded response PDU to a request PDU; None when it is no request. `write`: what sets objects,
    where who asks may."""
    asked = [_decode_oid(oid) for oid, _ in pdu.bindings]
    room = settings.max_message - _ENVELOPE - len(settings.community)
    status, index = ErrorStatus.NO_ERROR, 0
    traits = settings.traits
    if traits.loops_in:
        asked = [_thrown_back(oid, traits.loops_in) for oid in asked]
    match pdu.kind:
        case PduType.GET:
            found = [_exactly(view, oid) for oid in asked]
        case PduType.GET_NEXT:
            found = [_next(view, oid)[1] for oid in asked]
        case PduType.GET_BULK if version != V1:
            repetitions = max(0, pdu.error_index)
            found = _bulk(view, asked, max(0, pdu.error_status), repetitions, room)
        case PduType.SET:
            found = []
            status, index = _set(view, pdu, write)
        case _:
            return None
    if version == V1 and None in found:
        # RFC 1157 has no exceptions: one missing object refuses the request, with its bindings back.
        status, index = ErrorStatus.NO_SUCH_NAME, found.index(None) + 1
    absent = _NO_SUCH_INSTANCE if pdu.kind == PduType.GET else _END_OF_MIB_VIEW
    bindings = [
        encode_binding(pdu.bindings[at][0], absent) if binding is None else binding
        for at, binding in enumerate(found)
    ]
    too_many = traits.most_bindings and len(bindings) > traits.most_bindings
    if status == ErrorStatus.NO_ERROR and (sum(map(len, bindings)) > room or too_many):
        status, index, bindings = ErrorStatus.TOO_BIG, 0, []
    if pdu.kind == PduType.SET or status == ErrorStatus.NO_SUCH_NAME:
        bindings = [encode_binding(oid, ber.encode(tag, value)) for oid, (tag, value) in pdu.bindings]
    return encode_pdu(PduType.RESPONSE, pdu.request_id, status, index, bindings)


def _set(view: MibView, pdu: Pdu, write: Write | None) -> tuple[ErrorStatus, int]:
    """RFC 3416 4.2.5; one object a request, as far as anybody asks here."""
    if write is None or len(pdu.bindings) != 1:
        return ErrorStatus.NO_ACCESS, 1
    oid, (tag, content) = pdu.bindings[0]
    name = ber.decode_oid(oid)
    if view.at(name) is None:
        return ErrorStatus.NO_CREATION, 1
    status = write(name, tag, content)
    return status, 0 if status == ErrorStatus.NO_ERROR else 1


def _thrown_back(oid: ber.Oid, subtree: tuple[int, ...]) -> ber.Oid:
    """Anything deep inside the subtree is answered as if its first rows were asked for."""
    return subtree if oid[: len(subtree)] == subtree else oid


def _exactly(view: MibView, oid: ber.Oid) -> bytes | None:
    at = view.at(oid)
    return None if at is None else view.bindings[at]


def _next(view: MibView, oid: ber.Oid) -> tuple[ber.Oid, bytes | None]:
    at = view.after(oid)
    return (oid, None) if at == len(view.oids) else (view.oids[at], view.bindings[at])


def _bulk(
    view: MibView, asked: list[ber.Oid], non_repeaters: int, repetitions: int, room: int
) -> list[bytes | None]:
    """RFC 3416 4.2.3. Columns are contiguous in the view, so each repetition is one step on."""
    found: list[bytes | None] = [_next(view, oid)[1] for oid in asked[:non_repeaters]]
    repeated = asked[non_repeaters:]
    if not repeated:
        return found
    places = [view.after(oid) for oid in repeated]
    used = sum(len(binding or b"") for binding in found)
    # The first repetition that is made of exceptions alone is the last one.
    steps = min(repetitions, len(view.oids) - min(places) + 1)
    columns = [_column(view, oid, at, steps) for oid, at in zip(repeated, places, strict=True)]
    for row in zip(*columns, strict=True):
        used += sum(map(len, row))
        if used > room and found:
            break
        found += row
    return found


def _column(view: MibView, oid: ber.Oid, at: int, steps: int) -> list[bytes]:
    """The objects behind `oid`, of which the first is at `at`; exceptions where there are none any more."""
    rows = view.bindings[at : at + steps]
    if len(rows) < steps:
        last = oid if at == len(view.oids) else view.oids[-1]
        rows += [encode_binding(ber.encode_oid(last), _END_OF_MIB_VIEW)] * (steps - len(rows))
    return rows


class AgentFarm:
    """Agents on many loopback addresses in one event loop. One socket each, as real ones have."""

    def __init__(self, port: int, seed: int = 1) -> None:
        self.port = port
        self._sockets: dict[str, socket.socket] = {}
        """By the address they answer on."""
        self._random = random.Random(seed)

    def listen(self, address: str, views: Callable[[], Views | None], settings: AgentSettings) -> None:
        """Answer on `address`; `views` gives what the agent has to report now, None for silence.

        Raises Invalid when the address cannot be bound.
        """
        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        sock.setblocking(False)
        try:
            sock.bind((address, self.port))
        except OSError as taken:
            sock.close()
            raise Invalid(
                f"no simulated agent can listen on {address} port {self.port}/udp: {taken.strerror}"
            ) from taken
        self._sockets[address] = sock
        asyncio.get_running_loop().add_reader(sock, self._serve, sock, views, settings)

    def close(self) -> None:
        loop = asyncio.get_running_loop()
        for sock in self._sockets.values():
            loop.remove_reader(sock)
            sock.close()
        self._sockets.clear()

    def send(self, address: str, message: bytes, to: tuple[str, int]) -> None:
        """Send a message of the agent at `address`: a notification."""
        _send(self._sockets[address], message, to)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _serve(self, sock: socket.socket, views: Callable[[], Views | None], settings: AgentSettings) -> None:
        traits = settings.traits
        for _ in range(_BURST):
            try:
                data, sender = sock.recvfrom(65535)
            except (BlockingIOError, ConnectionError):
                return
            now = views()
            if now is None or (traits.loss and self._random.random() < traits.loss):
                continue
            try:
                reply = self._reply(now, settings, data)
            except ber.Malformed:
                continue
            if traits.loses_write_answers and _is_set(data):
                continue
            if reply is not None and traits.delay_s:
                asyncio.get_running_loop().call_later(traits.delay_s, _send, sock, reply, sender)
            elif reply is not None:
                _send(sock, reply, sender)

    def _reply(self, views: Views, settings: AgentSettings, data: bytes) -> bytes | None:
        traits = settings.traits
        if traits.garbage:
            return self._random.randbytes(self._random.randrange(1, 200))
        if settings.engine is not None:
            seconds = int(asyncio.get_running_loop().time())

            def by_context(context: bytes, pdu: Pdu) -> bytes | None:
                view = views.get(context.decode(errors="replace"))
                return None if view is None else respond(view, settings, V2C, pdu, settings.write)

            return answer_v3(settings.engine, data, seconds, by_context)
        request = decode_message(data)
        if traits.breaks_off_in and _half_way(views[""], traits.breaks_off_in, request):
            return None
        return answer(views, settings, request)


def _is_set(data: bytes) -> bool:
    """Of a community message."""
    return decode_message(data).pdu.kind == PduType.SET


def _half_way(view: MibView, subtree: tuple[int, ...], request: Message) -> bool:
    """Whether a request asks for the second half of a subtree."""
    first = view.after(subtree)
    last = view.after((*subtree, 2**32))
    middle = view.oids[min((first + last) // 2, len(view.oids) - 1)]
    asked = (ber.decode_oid(oid) for oid, _ in request.pdu.bindings)
    return any(oid >= middle and oid[: len(subtree)] == subtree for oid in asked)


def _send(sock: socket.socket, reply: bytes, sender: tuple[str, int]) -> None:
    try:
        sock.sendto(reply, sender)
    except OSError:
        return  # closed meanwhile, or its buffer is full: the answer is lost, as on any network
