"""SNMP agents that answer wrongly: the answers of good ones, changed. Seeded: a number is an agent."""

import asyncio
import random
from collections.abc import Callable, Sequence
from types import TracebackType
from typing import Self

from kiteroll.lab.agent import AgentSettings, Views, answer
from kiteroll.snmp import ber
from kiteroll.snmp.message import Binding, Pdu, decode_message, encode_binding

COMMUNITY = "tarn-read"
Bindings = list[bytes]
_INTEGERS = (0, 1, -1, 127, 2**31 - 1, 2**31, 2**32 - 1, 2**32, 2**63 - 1, 2**64 - 1, -(2**63), 10**40)
_TEXTS = (
    *(b"", b"\x00", b"\xff\xfe\xfd", b" " * 300, b"p" * 60_000, "\u00b2\u0663".encode()),
    *(b"=1+1", b"\r\n\t"),
    *(
        "\u202egnp.exe".encode(),
        "\U0001f9ff".encode() * 60,
        b"p #1",
        b"\xed\xa0\x80",
        b"%s%n{0}",
        b"'; DROP--",
    ),
)
_TAGS = (0x02, 0x04, 0x05, 0x06, 0x30, 0x40, 0x41, 0x42, 0x43, 0x44, 0x46, 0x80, 0x81, 0x82, 0x9F)


class HostileAgent:
    """Some tricks of its own, played on some of its answers."""

    def __init__(self, number: int, views: Views) -> None:
        self._random = random.Random(number)
        self._views = views
        self._settings = AgentSettings(community=COMMUNITY)
        self.tricks = self._random.sample(sorted(_TRICKS), self._random.choice((1, 1, 2, 3)))
        self._often = self._random.choice((0.05, 0.3, 1.0))
        self.answered = 0

    def answers(self, data: bytes) -> list[bytes]:
        """Datagrams to send back; none is silence."""
        message = decode_message(data)
        good = answer(self._views, self._settings, message)
        self.answered += 1
        if good is None:
            return []
        answers = [good]
        for trick in self.tricks:
            if self._random.random() < self._often:
                answers = [each for one in answers for each in _TRICKS[trick](self._random, message.pdu, one)]
        return answers


Trick = Callable[[random.Random, Pdu, bytes], list[bytes]]


def _rebuilt(good: bytes, change: Callable[[list[Binding]], Sequence[bytes]], **header: int) -> list[bytes]:
    """The message with other bindings, or another head."""
    try:
        message = decode_message(good)
    except ber.Malformed:
        return [good]  # spoilt by an earlier trick
    pdu = message.pdu
    numbers = [
        ber.encode_int(header.get(name, value))
        for name, value in (
            ("request_id", pdu.request_id),
            ("status", pdu.error_status),
            ("index", pdu.error_index),
        )
    ]
    body = ber.encode(ber.SEQUENCE, b"".join(change(pdu.bindings)))
    inner = ber.encode(header.get("kind", pdu.kind), b"".join(numbers) + body)
    whole = (
        ber.encode_int(header.get("version", message.version))
        + ber.encode(ber.OCTET_STRING, message.community)
        + inner
    )
    return [ber.encode(ber.SEQUENCE, whole)[:65_507]]


def _same(bindings: list[Binding]) -> Bindings:
    return [encode_binding(oid, ber.encode(tag, value)) for oid, (tag, value) in bindings]


def _values(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    """Numbers out of every range, and texts of every kind."""

    def change(bindings: list[Binding]) -> Bindings:
        out = []
        for oid, (tag, value) in bindings:
            if rng.random() < 0.3:
                if tag == ber.OCTET_STRING:
                    value = rng.choice(_TEXTS)
                else:
                    content = ber.encode_int(rng.choice(_INTEGERS))
                    value = content[2:] if rng.random() < 0.9 else bytes(rng.randrange(3000))
            out.append(encode_binding(oid, ber.encode(tag, value)))
        return out

    return _rebuilt(good, change)


def _types(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    return _rebuilt(
        good,
        lambda bindings: [
            encode_binding(oid, ber.encode(rng.choice(_TAGS) if rng.random() < 0.3 else tag, value))
            for oid, (tag, value) in bindings
        ],
    )


def _oids(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    """Object identifiers that are empty, cut off, without end, or of huge arcs."""
    odd = (b"", b"\x81", b"\x90" * 20_000 + b"\x01", b"\x2b" + b"\x01" * 400, b"\x2b\x9f\xff\xff\xff\x7f")

    def change(bindings: list[Binding]) -> Bindings:
        return [
            encode_binding(
                oid + rng.choice((b"\x01", b"\xff\x7f")) if rng.random() < 0.5 else rng.choice(odd),
                ber.encode(tag, value),
            )
            if rng.random() < 0.2
            else encode_binding(oid, ber.encode(tag, value))
            for oid, (tag, value) in bindings
        ]

    return _rebuilt(good, change)


def _order(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    def change(bindings: list[Binding]) -> Bindings:
        out = _same(bindings)
        rng.choice((out.reverse, lambda: rng.shuffle(out)))()
        return out

    return _rebuilt(good, change)


def _echo(_: random.Random, asked: Pdu, good: bytes) -> list[bytes]:
    return _rebuilt(good, lambda _: [encode_binding(oid, ber.encode_int(1)) for oid, _ in asked.bindings])


def _endless(rng: random.Random, asked: Pdu, good: bytes) -> list[bytes]:
    """A next row for ever, whatever is asked."""

    def change(_: list[Binding]) -> Bindings:
        return [
            encode_binding(oid + ber.encode_arcs((2**32 - 1,)) * min(1 + row, 100), ber.encode_int(row % 7))
            if rng.random() < 0.02
            else encode_binding(oid + ber.encode_arcs((row + 1,)), ber.encode_int(row % 7))
            for row in range(8)
            for oid, _ in asked.bindings
        ]

    return _rebuilt(good, change)


def _counts(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    most = rng.choice((0, 1, 4000))
    return _rebuilt(good, lambda bindings: (_same(bindings) * most)[:most])


def _head(rng: random.Random, asked: Pdu, good: bytes) -> list[bytes]:
    header = rng.choice(
        (
            {"status": rng.choice((1, 2, 5, 16, 77, -1, 2**40, 10**2000))},
            {"index": rng.choice((-1, 0, 5000, 2**40)), "status": rng.choice((1, 2, 5))},
            {"request_id": asked.request_id + rng.choice((-1, 1, 2**31))},
            {"kind": rng.choice((0xA0, 0xA3, 0xA5, 0xA7, 0xA8, 0x30))},
            {"version": rng.choice((0, 2, 3, -1, 2**31))},
        )
    )
    return _rebuilt(good, _same, **header)


def _bits(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    spoilt = bytearray(good)
    for _flip in range(rng.choice((1, 3, 40))):
        if spoilt:
            spoilt[rng.randrange(len(spoilt))] ^= 1 << rng.randrange(8)
    return [bytes(spoilt)]


def _cut(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    return [good[: rng.randrange(len(good) + 1)]]


def _noise(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    return [rng.randbytes(rng.choice((0, 1, 40, 1400, 60_000))), good]


def _silent(rng: random.Random, _: Pdu, good: bytes) -> list[bytes]:
    return [] if rng.random() < 0.5 else [good]


def _many(_: random.Random, __: Pdu, good: bytes) -> list[bytes]:
    return [good] * 20


def _end(_: random.Random, asked: Pdu, good: bytes) -> list[bytes]:
    """The end of everything, at once."""
    over = ber.encode(ber.END_OF_MIB_VIEW, b"")
    return _rebuilt(good, lambda _: [encode_binding(oid, over) for oid, _ in asked.bindings])


_TRICKS: dict[str, Trick] = {
    "values": _values,
    "types": _types,
    "oids": _oids,
    "order": _order,
    "echo": _echo,
    "endless": _endless,
    "counts": _counts,
    "head": _head,
    "bits": _bits,
    "cut": _cut,
    "noise": _noise,
    "silent": _silent,
    "many": _many,
    "end": _end,
}


class HostileFarm:
    """Hostile agents on ports of loopback, in the running event loop. Some answer from another port than
    was asked, which is nobody's answer."""

    def __init__(self, numbers: Sequence[int], views: Callable[[], Views]) -> None:
        self._views = views
        self._numbers = numbers
        self._transports: list[asyncio.DatagramTransport] = []
        self.ports: dict[int, int] = {}

    async def __aenter__(self) -> Self:
        loop = asyncio.get_running_loop()
        stray, _ = await loop.create_datagram_endpoint(asyncio.DatagramProtocol, local_addr=("127.0.0.1", 0))
        self._transports.append(stray)
        for number in self._numbers:
            protocol = _Endpoint(HostileAgent(number, self._views()), stray if number % 29 == 0 else None)
            transport, _ = await loop.create_datagram_endpoint(
                lambda protocol=protocol: protocol,  # type: ignore[misc]
                local_addr=("127.0.0.1", 0),
            )
            self._transports.append(transport)
            self.ports[number] = transport.get_extra_info("sockname")[1]
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for transport in self._transports:
            transport.close()


class _Endpoint(asyncio.DatagramProtocol):
    def __init__(self, agent: HostileAgent, stray: asyncio.DatagramTransport | None) -> None:
        self._agent = agent
        self._stray = stray

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport: asyncio.DatagramTransport = self._stray or transport  # type: ignore[assignment]

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        for one in self._agent.answers(data):
            self._transport.sendto(one, addr)
