"""Receives notifications from switches: SNMPv2c and SNMPv3, traps and informs (RFC 3416, RFC 3414).

What one says is not believed, it only brings a reading forward. Even so a v2c notification counts only
when it comes from the address of a switch that is asked by community, and says a community that is
expected of it; a switch that is asked by user must have its notifications authenticated by that user.
Everything else, and what comes faster than any switch has news, is dropped and counted.
"""

import asyncio
import logging
import secrets
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

from kiteroll.clock import Clock
from kiteroll.core.scheduling.rate_limit import RateLimit
from kiteroll.snmp.authoritative_engine import AuthoritativeEngine, answer_v3, read_head
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import V2C, Pdu, PduType, decode_message, decode_pdu, wrap
from kiteroll.snmp.notification import Notification, inform_response, read_notification
from kiteroll.snmp.usm import V3, WINDOW_S, Engine, Envelope, Refused, User, read_scoped, unseal

log = logging.getLogger(__name__)
_MAX_ENGINES = 10_000
_BURST, _PER_SECOND = 200, 20.0
"""Notifications of one address: as many at once as a large switch sends when its power comes back."""


@dataclass(frozen=True, slots=True)
class Sender:
    """A switch at some address."""

    switch: str
    user: User | None
    """The user it is asked as; None when it is asked by community."""
    communities: frozenset[bytes] = field(default=frozenset(), repr=False)
    """Those its v2c notifications may say."""


@dataclass(frozen=True, slots=True)
class LocalEngine:
    """Who we are to switches that send informs."""

    id: bytes
    boots: int

    @staticmethod
    def new_id() -> bytes:
        """RFC 3411 snmpEngineID: format 5, octets of our own choice."""
        return b"\x80\x00\x00\x00\x05" + secrets.token_bytes(8)


Senders = Callable[[str], Sequence[Sender]]
OnNotification = Callable[[Sequence[str], Notification], None]


class NotificationListener(asyncio.DatagramProtocol):
    def __init__(
        self, engine: LocalEngine, clock: Clock, senders: Senders, on_notification: OnNotification
    ) -> None:
        """`senders`: the switches at an IP address. `on_notification` gets the switches that sent it."""
        self.dropped = 0
        """Since the start."""
        self._rate = RateLimit(burst=_BURST, per_second=_PER_SECOND)
        self._engine = engine
        self._clock = clock
        self._began = clock.monotonic()
        self._senders = senders
        self._on_notification = on_notification
        self._transport: asyncio.DatagramTransport | None = None
        self._clocks: OrderedDict[bytes, Engine] = OrderedDict()
        """Latest boots and time of each engine heard: an older message is a repeated one."""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        # Event loops' own datagram transports are no subclasses of asyncio's.
        self._transport = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str | Any, int]) -> None:
        host = str(addr[0]).removeprefix("::ffff:")
        senders = self._senders(host)
        reply = None
        if not senders or not self._rate.allows(host, self._clock.monotonic()):
            self.dropped += 1
            return
        try:
            reply = self._receive(data, senders)
        except (Malformed, Refused):
            self.dropped += 1
        except Exception:
            # The boundary of one datagram.
            self.dropped += 1
            log.exception("internal error in a notification", extra={"event": "notification.bug"})
        if reply is not None and self._transport is not None:
            self._transport.sendto(reply, addr)

    def _receive(self, data: bytes, senders: Sequence[Sender]) -> bytes | None:
        """The answer to an inform or a discovery; None for a trap."""
        if _version(data) == V3:
            return self._receive_v3(data, senders)
        message = decode_message(data)
        names = [one.switch for one in senders if one.user is None and message.community in one.communities]
        if message.version != V2C or not names:
            raise Malformed("a notification that is not v2c, or of a community that is not expected")
        self._on_notification(names, read_notification(message.pdu))
        if message.pdu.kind != PduType.INFORM:
            return None
        return wrap(V2C, message.community, inform_response(message.pdu))

    def _receive_v3(self, data: bytes, senders: Sequence[Sender]) -> bytes | None:
        users = {one.user.name.encode(): one.user for one in senders if one.user is not None}
        head = read_head(data)
        if head.engine.id in (b"", self._engine.id):
            # To us as the authority: a discovery, or an inform.
            authority = AuthoritativeEngine(self._engine.id, users, self._engine.boots)
            now_s = int(self._clock.monotonic() - self._began)
            return answer_v3(authority, data, now_s, lambda _, pdu: self._inform(pdu, senders))
        self._trap(data, head, users, senders)
        return None

    def _inform(self, pdu: Pdu, senders: Sequence[Sender]) -> bytes | None:
        if pdu.kind != PduType.INFORM:
            return None
        self._on_notification([one.switch for one in senders if one.user is not None], read_notification(pdu))
        return inform_response(pdu)

    def _trap(
        self, data: bytes, head: Envelope, users: Mapping[bytes, User], senders: Sequence[Sender]
    ) -> None:
        """The sender is the authority: its own engine and clock count."""
        user = users.get(head.user)
        if user is None or head.flags & 3 != user.flags:
            raise Malformed("a trap of a user that the switch is not asked as")
        envelope = unseal(data, user)
        if user.flags:
            self._check_time(envelope.engine)
        *_, at = read_scoped(envelope.scoped)
        pdu = decode_pdu(envelope.scoped, at)
        if pdu.kind != PduType.TRAP:
            raise Malformed("a request that is no trap")
        names = [one.switch for one in senders if one.user is not None and one.user.name == user.name]
        self._on_notification(names, read_notification(pdu))

    def _check_time(self, claimed: Engine) -> None:
        """RFC 3414 3.2 step 7b: not from before the latest boot, nor older than the window."""
        known = self._clocks.get(claimed.id)
        if known is not None:
            older = claimed.boots < known.boots
            if older or (claimed.boots == known.boots and claimed.time < known.time - WINDOW_S):
                raise Malformed("an old trap, repeated")
        if known is None or (claimed.boots, claimed.time) > (known.boots, known.time):
            self._clocks[claimed.id] = claimed
            self._clocks.move_to_end(claimed.id)
        if len(self._clocks) > _MAX_ENGINES:
            self._clocks.popitem(last=False)


def _version(data: bytes) -> int:
    """msgVersion: the first element of every SNMP message."""
    try:
        at = 2 + (data[1] & 0x7F if data[1] & 0x80 else 0)
        if data[0] != 0x30 or data[at] != 0x02 or data[at + 1] != 1:
            raise Malformed("no SNMP message")
        return data[at + 2]
    except IndexError as cut:
        raise Malformed("no SNMP message") from cut
