"""One UDP socket to one agent: sends the requests of an exchange, hands it the answers, and sends again what
seems lost. The next request is sent in the turn of the event loop in which the answer came."""

import asyncio
import logging
import random
from collections.abc import Callable
from dataclasses import dataclass, field

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import Exchange, SnmpRequest
from kiteroll.collect.security import Reported, Security
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import Pdu, request_pdu, set_pdu
from kiteroll.snmp.usm import UsmError

log = logging.getLogger(__name__)
_REQUEST_IDS = 2**31 - 1
_SHORTEST_PAUSE_S = 0.2
_UNKNOWN_PACE_S = 0.7
"""Pauses before a datagram is sent again, in seconds, on the quickest agents and on unknown ones."""
_SYNCHRONISES = frozenset({UsmError.NOT_IN_TIME, UsmError.UNKNOWN_ENGINE})
"""Reports that bring what a second try needs."""


@dataclass(slots=True)
class _Carried:
    """An exchange on its way, and its one request in flight. Instants are the event loop's, in seconds."""

    talk: Exchange
    budget: Budget
    requests_left: int
    done: asyncio.Future[None]
    step: SnmpRequest = field(init=False)
    answer_by: float = 0.0
    """When this try is over."""
    message: bytes = b""
    sent_at: float = 0.0
    resend_at: float = 0.0
    pause_s: float = 0.0
    resent: bool = False
    opening: bool = False
    """The message is what an SNMPv3 engine has to hear before the first request."""
    synchronised: bool = False
    """A report brought what was missing, and the request was sent once more."""


class Wire(asyncio.DatagramProtocol):
    """One request is in flight at a time."""

    def __init__(self, security: Security, clock: Clock) -> None:
        self.transport: asyncio.DatagramTransport | None = None
        """Connected to the agent."""
        self._security = security
        self._clock = clock
        self._loop = asyncio.get_running_loop()
        self._message_id = random.randrange(_REQUEST_IDS)
        self._pace = _Pace()
        self._note = ""
        """What came in place of an answer."""
        self._carried: _Carried | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._timer_at = 0.0

    async def carry(self, talk: Exchange, budget: Budget, most: int) -> None:
        """Carry an exchange to its end, or until it has sent `most` requests; once the budget is used
        up it is broken off. Raises Reported when an SNMPv3 engine will not have us."""
        if self.transport is None:
            raise AssertionError("the agent is used outside its context")
        carried = self._carried = _Carried(talk, budget, most, self._loop.create_future())
        try:
            self._send_next(carried)
            await carried.done
        finally:
            self._carried = None
            if self._timer is not None:
                self._timer.cancel()
                self._timer = None

    def _send_next(self, carried: _Carried) -> None:
        """Send what the exchange wants to know next; nothing when that is nothing, or when it may not."""
        step = carried.talk.next()
        if not isinstance(step, SnmpRequest) or carried.requests_left <= 0:
            carried.done.set_result(None)
        elif over := carried.budget.used_up():
            carried.talk.end(over)
            carried.done.set_result(None)
        else:
            carried.requests_left -= 1
            carried.step, carried.synchronised = step, False
            carried.answer_by = self._loop.time() + min(step.timeout_s, carried.budget.seconds_left)
            self._send(carried)

    def _send(self, carried: _Carried) -> None:
        number = self._message_id = self._message_id % _REQUEST_IDS + 1
        opening = self._security.opening(number)
        carried.opening = opening is not None
        carried.message = self._request(number, carried.step) if opening is None else opening
        carried.sent_at = self._loop.time()
        carried.pause_s = self._pace.first_pause_s
        carried.resend_at = carried.sent_at + carried.pause_s
        carried.resent = False
        self._put(carried.message)
        self._wake_by(min(carried.resend_at, carried.answer_by))

    def _request(self, number: int, step: SnmpRequest) -> bytes:
        if step.values:
            pdu = set_pdu(number, list(zip(step.oids, step.values, strict=True)))
        else:
            pdu = request_pdu(step.kind, number, step.oids, repetitions=step.repetitions)
        return self._security.encode(number, pdu, self._clock.monotonic())

    def _put(self, message: bytes) -> None:
        if self.transport is not None and not self.transport.is_closing():
            self.transport.sendto(message)

    def _wake_by(self, when: float) -> None:
        """One timer serves all requests: most are answered long before it is due, and it is set anew then."""
        if self._timer is not None and self._timer_at <= when:
            return
        if self._timer is not None:
            self._timer.cancel()
        self._timer, self._timer_at = self._loop.call_at(when, self._on_timer), when

    def _on_timer(self) -> None:
        """Send the same datagram again after a pause, and after twice that, while one try lasts: an answer to
        either copy is the answer, for their message id is the same."""
        self._timer = None
        carried = self._carried
        if carried is None or carried.done.done():
            return
        now = self._loop.time()
        if now >= carried.answer_by:
            self._hand_over(carried, self._on_silence)
            return
        if now >= carried.resend_at:
            self._put(carried.message)
            carried.resent = True
            carried.pause_s *= 2
            carried.resend_at = now + carried.pause_s
        self._wake_by(min(carried.resend_at, carried.answer_by))

    def datagram_received(self, data: bytes, addr: object) -> None:
        carried = self._carried
        if carried is None or carried.done.done():
            return
        carried.budget.received(len(data))
        try:
            message_id, pdu = self._security.decode(data, self._clock.monotonic(), carried.talk.row_reader())
        except Malformed as broken:
            self._note = f"an answer came that cannot be used: {broken}"
        except Reported as report:
            if report.message_id == self._message_id:
                self._hand_over(carried, self._on_report, report)
        except Exception as bug:
            # The boundary of one datagram: the reading goes on without it.
            self._note = f"an answer came that cannot be used: {type(bug).__name__}"
            log.exception("internal error while decoding an answer", extra={"event": "snmp.bug"})
        else:
            if message_id == self._message_id:
                self._hand_over(carried, self._on_answer, pdu)

    def error_received(self, exc: Exception) -> None:
        # ICMP port unreachable and its kin. Waited out like silence, so that an agent which is
        # just restarting gets its tries; the note shows the reader what it was.
        self._note = (
            "nothing listens on that UDP port" if isinstance(exc, ConnectionRefusedError) else str(exc)
        )

    def _hand_over(self, carried: _Carried, handle: Callable[..., None], *came: object) -> None:
        """What goes wrong with an answer goes wrong for whoever waits for the exchange."""
        try:
            handle(carried, *came)
        except Exception as failed:
            carried.done.set_exception(failed)

    def _on_answer(self, carried: _Carried, pdu: Pdu) -> None:
        if not carried.resent:
            self._pace.took(self._loop.time() - carried.sent_at)
        if carried.opening:
            self._send(carried)
            return
        carried.talk.on_reply(pdu)
        self._send_next(carried)

    def _on_report(self, carried: _Carried, report: Reported) -> None:
        if carried.opening and report.error is UsmError.UNKNOWN_ENGINE:
            self._send(carried)
        elif not carried.opening and report.error in _SYNCHRONISES and not carried.synchronised:
            carried.synchronised = True
            self._send(carried)
        else:
            raise report

    def _on_silence(self, carried: _Carried) -> None:
        carried.talk.on_silence(self._note)
        self._send_next(carried)


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
