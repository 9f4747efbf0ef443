"""The driver: one SNMP agent over UDP. Sends, waits, matches; decides nothing."""

import asyncio
import logging
import random
import socket
from contextlib import AsyncExitStack
from dataclasses import dataclass, field, replace
from types import TracebackType
from typing import Self
from weakref import WeakKeyDictionary

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import Exchange, ExchangeEnd, SnmpRequest
from kiteroll.collect.security import ByCommunity, ByUser, Reported, Security
from kiteroll.core.errors import DeviceRefused, DeviceSilent, Invalid
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import V2C, Pdu, request_pdu, set_pdu
from kiteroll.snmp.usm import V3, User, UsmError

log = logging.getLogger(__name__)
_REQUEST_IDS = 2**31 - 1
_LONG = 400
"""Requests after which an exchange is a long one: most tables are read with fewer."""
_LONG_AT_ONCE = 4
"""Long exchanges go on a few at a time: an agent that has no end is not to take all the time there is."""
_long: WeakKeyDictionary[asyncio.AbstractEventLoop, asyncio.Semaphore] = WeakKeyDictionary()
_SHORTEST_PAUSE_S = 0.2
_UNKNOWN_PACE_S = 0.7
"""Pauses before a datagram is sent again, in seconds, on the quickest agents and on unknown ones."""
_SYNCHRONISES = frozenset({UsmError.NOT_IN_TIME, UsmError.UNKNOWN_ENGINE})
"""Reports that bring what a second try needs."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """Where a switch answers and what it wants to hear."""

    host: str
    port: int = 161
    community: str = field(default="public", repr=False)
    version: int = V2C
    """V1 or V2C; with `user` it is V3."""
    user: User | None = None
    context: str = ""
    """SNMPv3 context name: which view of the switch is asked for."""
    view_community: str = field(default="", repr=False)
    """Template with {vlan}: community that shows the table of one VLAN, on switches that offer
    it one VLAN at a time."""
    view_context: str = ""
    """The same as an SNMPv3 context."""
    view_vlans: tuple[int, ...] = ()
    """VLANs to look at so; empty: those the switch tells of."""

    @property
    def address(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{host}:{self.port}"

    @property
    def protocol(self) -> int:
        return V3 if self.user is not None else self.version

    @property
    def by_vlan(self) -> bool:
        return bool(self.view_context if self.user else self.view_community)

    def view(self, vlan: int) -> "Target":
        """The same switch, seen through the view of one VLAN."""
        if self.user is not None:
            return replace(self, context=self.view_context.replace("{vlan}", str(vlan)))
        return replace(self, community=self.view_community.replace("{vlan}", str(vlan)))

    def security(self) -> Security:
        if self.user is not None:
            return ByUser(self.user, self.context)
        return ByCommunity(self.version, self.community)


def _long_exchanges() -> asyncio.Semaphore:
    """The turns for long exchanges, of this event loop."""
    return _long.setdefault(asyncio.get_running_loop(), asyncio.Semaphore(_LONG_AT_ONCE))


class Agent:
    """One UDP socket, connected to one agent. One request is in flight at a time."""

    def __init__(self, target: Target, clock: Clock) -> None:
        self.target = target
        self.security = target.security()
        self._clock = clock
        self._wire = _Wire(self.security, clock)
        self._transport: asyncio.DatagramTransport | None = None
        self._request_id = random.randrange(_REQUEST_IDS)
        self._pace = _Pace()
        self._resending: asyncio.TimerHandle | None = None
        self._resent = False

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

    async def hold(self, talk: Exchange, budget: Budget) -> ExchangeEnd:
        """Carry one exchange to its end; once the budget is used up it is broken off.

        Raises DeviceRefused when an SNMPv3 engine will not have us, with its reason.
        """
        requests = 0
        async with AsyncExitStack() as turn:
            while isinstance(step := talk.next(), SnmpRequest):
                requests += 1
                if requests == _LONG and not await budget.turn(turn.enter_async_context(_long_exchanges())):
                    talk.end("others read tables as long at the same time, and its turn did not come")
                    continue
                await self._ask(talk, step, budget)
        return step

    async def _ask(self, talk: Exchange, step: SnmpRequest, budget: Budget) -> None:
        if over := budget.used_up():
            talk.end(over)
            return
        before = self._wire.octets
        try:
            async with asyncio.timeout(min(step.timeout_s, budget.seconds_left)):
                pdu = await self._roundtrip(step)
        except TimeoutError:
            talk.on_silence(self._wire.note)
        except Reported as report:
            raise DeviceRefused(self.target.address, f"SNMPv3: {report}") from report
        else:
            talk.on_reply(pdu)
        finally:
            budget.received(self._wire.octets - before)

    async def _roundtrip(self, step: SnmpRequest) -> Pdu:
        if (opening := self.security.opening(self._next_id())) is not None:
            try:
                await self._exchange(opening)
            except Reported as report:
                if report.error is not UsmError.UNKNOWN_ENGINE:
                    raise
        try:
            return await self._exchange(self._request(step))
        except Reported as report:
            if report.error not in _SYNCHRONISES:
                raise
        return await self._exchange(self._request(step))

    def _request(self, step: SnmpRequest) -> bytes:
        number = self._next_id()
        if step.values:
            pdu = set_pdu(number, list(zip(step.oids, step.values, strict=True)))
        else:
            pdu = request_pdu(step.kind, number, step.oids, repetitions=step.repetitions)
        return self.security.encode(number, pdu, self._clock.monotonic())

    async def _exchange(self, message: bytes) -> Pdu:
        if self._transport is None:
            raise AssertionError("the agent is used outside its context")
        answer = self._wire.expect(self._request_id)
        sent_at = self._clock.monotonic()
        self._transport.sendto(message)
        self._resend_in(self._pace.first_pause_s, message)
        try:
            pdu = await answer
        finally:
            resent = self._cancel_resend()
        if not resent:
            self._pace.took(self._clock.monotonic() - sent_at)
        return pdu

    def _resend_in(self, pause_s: float, message: bytes) -> None:
        """Send the same datagram again after a pause, and after twice that, while one try lasts. An
        answer to either copy is the answer: the message id is the same."""

        def resend() -> None:
            if self._transport is not None and not self._transport.is_closing():
                self._transport.sendto(message)
                self._resend_in(2 * pause_s, message)
                self._resent = True

        self._resending = asyncio.get_running_loop().call_later(pause_s, resend)

    def _cancel_resend(self) -> bool:
        """Whether the datagram had been sent again."""
        if self._resending is not None:
            self._resending.cancel()
        resent, self._resent = self._resent, False
        return resent

    def _next_id(self) -> int:
        self._request_id = self._request_id % _REQUEST_IDS + 1
        return self._request_id


class _Pace:
    """How quickly an agent answers, and so when a datagram is likely lost. Smoothed as round trips
    are in TCP (RFC 6298); an answer to a datagram sent twice is not counted."""

    def __init__(self) -> None:
        self._smoothed_s: float | None = None

    @property
    def first_pause_s(self) -> float:
        if self._smoothed_s is None:
            return _UNKNOWN_PACE_S
        return max(_SHORTEST_PAUSE_S, 8 * self._smoothed_s)

    def took(self, seconds: float) -> None:
        self._smoothed_s = seconds if self._smoothed_s is None else 0.875 * self._smoothed_s + 0.125 * seconds


class _Wire(asyncio.DatagramProtocol):
    """Hands the one awaited answer over, and remembers what else came in."""

    def __init__(self, security: Security, clock: Clock) -> None:
        self.note = ""
        self.octets = 0
        """Received so far."""
        self._security = security
        self._clock = clock
        self._awaited = 0
        self._answer: asyncio.Future[Pdu] | None = None

    def expect(self, message_id: int) -> asyncio.Future[Pdu]:
        self._awaited = message_id
        self._answer = asyncio.get_running_loop().create_future()
        return self._answer

    def datagram_received(self, data: bytes, addr: object) -> None:
        self.octets += len(data)
        if self._answer is None or self._answer.done():
            return
        try:
            message_id, pdu = self._security.decode(data, self._clock.monotonic())
        except Malformed as broken:
            self.note = f"an answer came that cannot be used: {broken}"
        except Reported as report:
            if report.message_id == self._awaited:
                self._answer.set_exception(report)
        except Exception as bug:
            # The boundary of one datagram: the reading goes on without it.
            self.note = f"an answer came that cannot be used: {type(bug).__name__}"
            log.exception("internal error while decoding an answer", extra={"event": "snmp.bug"})
        else:
            if message_id == self._awaited:
                self._answer.set_result(pdu)

    def error_received(self, exc: Exception) -> None:
        # ICMP port unreachable and its kin. Waited out like silence, so that an agent which is
        # just restarting gets its tries; the note tells the reader what it was.
        self.note = (
            "nothing listens on that UDP port" if isinstance(exc, ConnectionRefusedError) else str(exc)
        )
