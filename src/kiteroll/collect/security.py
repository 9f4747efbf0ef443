"""How requests are wrapped and answers trusted: by community (v1, v2c) or by user (v3). No I/O."""

from typing import Protocol

from kiteroll.snmp import ber
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import Pdu, PduType, RowReader, decode_message, decode_pdu, request_pdu, wrap
from kiteroll.snmp.usm import (
    FLAG_REPORTABLE,
    LAST_BOOT,
    USM_STATS,
    WINDOW_S,
    Engine,
    Envelope,
    Refused,
    User,
    UsmError,
    read_scoped,
    scoped_pdu,
    seal,
    unseal,
)

_MEANINGS: dict[UsmError, str] = {
    UsmError.UNSUPPORTED_LEVEL: "it does not offer this user the security level requested "
    "(authentication or privacy is switched off for the user, or not supported)",
    UsmError.NOT_IN_TIME: "our messages are outside its time window, even after we set our clock by its own",
    UsmError.UNKNOWN_USER: "it does not know this user name",
    UsmError.UNKNOWN_ENGINE: "it does not accept its own engine id back",
    UsmError.WRONG_DIGEST: "the authentication password or protocol is wrong",
    UsmError.DECRYPTION: "the privacy password or protocol is wrong",
}


class Reported(Exception):
    """The engine answered with a report instead of a response."""

    def __init__(self, error: UsmError | None, message_id: int) -> None:
        super().__init__(error)
        self.error = error
        self.message_id = message_id
        """Of the request it is about."""

    def __str__(self) -> str:
        return "it sent a report of an unknown kind" if self.error is None else _MEANINGS[self.error]


class Security(Protocol):
    def opening(self, message_id: int) -> bytes | None:
        """What must be sent, and answered by a report, before the first request; None: nothing."""

    def encode(self, message_id: int, pdu: bytes, now: float) -> bytes:
        """`now`: clock.monotonic()."""

    def decode(self, data: bytes, now: float, rows: RowReader | None = None) -> tuple[int, Pdu]:
        """Message id and PDU. Raises Malformed (not for us, or not to be trusted) or Reported."""

    def silence(self) -> str:
        """What silence may mean under this kind of security."""


class ByCommunity:
    def __init__(self, version: int, community: str) -> None:
        self._version = version
        self._community = community.encode()

    def opening(self, message_id: int) -> bytes | None:
        return None

    def encode(self, message_id: int, pdu: bytes, now: float) -> bytes:
        return wrap(self._version, self._community, pdu)

    def decode(self, data: bytes, now: float, rows: RowReader | None = None) -> tuple[int, Pdu]:
        pdu = decode_message(data, rows).pdu
        _check_kind(pdu)
        return pdu.request_id, pdu

    def silence(self) -> str:
        version = "v1" if self._version == 0 else "v2c"
        return (
            f"Tried SNMP {version} over UDP; a switch also stays silent when the community is wrong or its "
            "access list does not know this machine"
        )


class ByUser:
    """One user at one engine: discovers it (RFC 3414 section 4) and keeps its clock."""

    def __init__(self, user: User, context: str = "") -> None:
        self._user = user
        self._context = context.encode()
        self._engine: Engine | None = None
        self._heard_at = 0.0

    def opening(self, message_id: int) -> bytes | None:
        if self._engine is not None:
            return None
        nobody, nowhere = User(name=""), Engine(b"", 0, 0)
        empty = scoped_pdu(b"", b"", request_pdu(PduType.GET, message_id, []))
        return seal(nobody, nowhere, message_id, FLAG_REPORTABLE, empty)

    def encode(self, message_id: int, pdu: bytes, now: float) -> bytes:
        if self._engine is None:
            raise AssertionError("requests follow the discovery")
        known = self._engine
        engine = Engine(known.id, known.boots, known.time + int(now - self._heard_at))
        scoped = scoped_pdu(known.id, self._context, pdu)
        return seal(self._user, engine, message_id, self._user.flags | FLAG_REPORTABLE, scoped)

    def decode(self, data: bytes, now: float, rows: RowReader | None = None) -> tuple[int, Pdu]:
        try:
            envelope = unseal(data, self._user)
        except Refused as refused:
            raise Malformed(f"an answer does not pass its check ({refused.error.name.lower()})") from refused
        *_, at = read_scoped(envelope.scoped)
        pdu = decode_pdu(envelope.scoped, at, rows)
        trusted = envelope.flags & self._user.flags == self._user.flags
        if pdu.kind == PduType.REPORT:
            error = _usm_error(pdu)
            # Whoever answers the discovery is believed; later on only an authenticated report may
            # turn our clock (RFC 3414 section 3.2 step 7b).
            if self._engine is None:
                self._engine, self._heard_at = envelope.engine, now
            elif error is UsmError.NOT_IN_TIME and trusted:
                self._check_sender(envelope, self._engine)
                self._engine, self._heard_at = envelope.engine, now
            raise Reported(error, envelope.message_id)
        if not trusted:
            raise Malformed("an answer came with less security than was asked for")
        if self._engine is None:
            raise Malformed("an answer came before the engine was discovered")
        self._check_sender(envelope, self._engine)
        if self._user.flags:
            self._check_time(envelope.engine, self._engine, now)
        _check_kind(pdu)
        return envelope.message_id, pdu

    def _check_sender(self, envelope: Envelope, known: Engine) -> None:
        """RFC 3412 7.2 step 10: a response is of the engine and the user that were asked."""
        if envelope.engine.id != known.id:
            raise Malformed("an answer came from another SNMP engine than was asked")
        if envelope.user != self._user.name.encode():
            raise Malformed("an answer came for another user")

    def _check_time(self, claimed: Engine, known: Engine, now: float) -> None:
        """RFC 3414 3.2 step 7b: our notion of the engine's clock goes on with each answer, and one from
        before it is an old one, repeated."""
        expected = known.time + int(now - self._heard_at)
        old = claimed.boots == known.boots and claimed.time < expected - WINDOW_S
        if claimed.boots < known.boots or claimed.boots == LAST_BOOT or old:
            raise Malformed("an answer came from outside the time window: an old one, repeated")
        if (claimed.boots, claimed.time) > (known.boots, expected):
            self._engine, self._heard_at = claimed, now

    def silence(self) -> str:
        if self._engine is None:
            return (
                "Tried the SNMPv3 discovery over UDP; the switch may not speak SNMPv3, or its access "
                "list does not know this machine"
            )
        then = "It answered the SNMPv3 discovery, then nothing:"
        if self._user.privacy:
            return f"{then} the privacy password or protocol is wrong, or its access list does not know us"
        return f"{then} its access list may not know this machine or user"


def _check_kind(pdu: Pdu) -> None:
    if pdu.kind != PduType.RESPONSE:
        raise Malformed(f"a PDU of kind 0x{pdu.kind:02x} where a response belongs")


def _usm_error(pdu: Pdu) -> UsmError | None:
    for oid, _ in pdu.bindings:
        arcs = ber.decode_oid(oid)
        if arcs[: len(USM_STATS)] == USM_STATS and len(arcs) > len(USM_STATS):
            try:
                return UsmError(arcs[len(USM_STATS)])
            except ValueError:
                return None
    return None
