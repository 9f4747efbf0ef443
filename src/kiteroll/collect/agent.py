"""The driver: one SNMP agent over UDP. Sends, waits, matches; decides nothing."""

import asyncio
import random
import socket
from dataclasses import dataclass, field
from types import TracebackType
from typing import Self

from kiteroll.clock import Clock
from kiteroll.collect.conversation import Ask, Conversation, Ended
from kiteroll.core.errors import DeviceSilent, Invalid
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import V2C, Pdu, decode_message, encode_request

_REQUEST_IDS = 2**31 - 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """Where a switch answers and what it wants to hear."""

    host: str
    port: int = 161
    community: str = field(default="public", repr=False)
    version: int = V2C

    @property
    def address(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{host}:{self.port}"


class Agent:
    """One UDP socket, connected to one agent. One request is in flight at a time."""

    def __init__(self, target: Target, clock: Clock) -> None:
        self.target = target
        self._clock = clock
        self._wire = _Wire()
        self._transport: asyncio.DatagramTransport | None = None
        self._request_id = random.randrange(_REQUEST_IDS)

    async def __aenter__(self) -> Self:
        """Open the socket. Raises Invalid when the host has no address, DeviceSilent when there is
        no way to it."""
        loop = asyncio.get_running_loop()
        try:
            self._transport, _ = await loop.create_datagram_endpoint(
                lambda: self._wire, remote_addr=(self.target.host, self.target.port)
            )
        except socket.gaierror as unknown:
            raise Invalid(
                f"{self.target.host!r} is no IP address and no host name that resolves ({unknown.strerror})"
            ) from unknown
        except OSError as no_way:
            raise DeviceSilent(self.target.address, f"no way there: {no_way.strerror}") from no_way
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._transport is not None:
            self._transport.close()

    async def hold(self, talk: Conversation, deadline: float) -> Ended:
        """Carry one conversation to its end; at `deadline` (clock.monotonic()) it is broken off."""
        while isinstance(step := talk.next(), Ask):
            left = deadline - self._clock.monotonic()
            if left <= 0:
                talk.end("the time for this switch is used up")
                continue
            try:
                async with asyncio.timeout(min(step.timeout_s, left)):
                    pdu = await self._ask(step)
            except TimeoutError:
                talk.on_silence(self._wire.note)
            else:
                talk.on_reply(pdu)
        return step

    async def _ask(self, step: Ask) -> Pdu:
        if self._transport is None:
            raise AssertionError("the agent is used outside its context")
        self._request_id = self._request_id % _REQUEST_IDS + 1
        target = self.target
        request = encode_request(
            target.version,
            target.community.encode(),
            step.kind,
            self._request_id,
            step.oids,
            repetitions=step.repetitions,
        )
        answer = self._wire.expect(self._request_id)
        self._transport.sendto(request)
        return await answer


class _Wire(asyncio.DatagramProtocol):
    """Hands the one awaited answer over, and remembers what else came in."""

    def __init__(self) -> None:
        self.note = ""
        self._awaited = 0
        self._answer: asyncio.Future[Pdu] | None = None

    def expect(self, request_id: int) -> asyncio.Future[Pdu]:
        self._awaited = request_id
        self._answer = asyncio.get_running_loop().create_future()
        return self._answer

    def datagram_received(self, data: bytes, addr: object) -> None:
        if self._answer is None or self._answer.done():
            return
        try:
            pdu = decode_message(data).pdu
        except Malformed as broken:
            self.note = f"an answer came that cannot be decoded: {broken}"
            return
        if pdu.request_id == self._awaited:
            self._answer.set_result(pdu)

    def error_received(self, exc: Exception) -> None:
        # ICMP port unreachable and its kin. Waited out like silence, so that an agent which is
        # just restarting gets its tries; the note tells the reader what it was.
        self.note = (
            "nothing listens on that UDP port" if isinstance(exc, ConnectionRefusedError) else str(exc)
        )
