"""The authoritative side of SNMPv3: discovery, time window, reports (RFC 3414 section 3.2).

Whoever answers requests is authoritative, and so is who receives informs: both sides need this.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kiteroll.snmp import ber
from kiteroll.snmp.message import Pdu, PduType, decode_pdu, encode_binding, encode_pdu
from kiteroll.snmp.usm import (
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

_LEVEL = 3
"""The bits of msgFlags that are the security level."""
_NOBODY = User(name="")


@dataclass(frozen=True, slots=True)
class AuthoritativeEngine:
    id: bytes
    """snmpEngineID, 5 to 32 octets."""
    users: Mapping[bytes, User]
    """By name."""
    boots: int = 1


def answer_v3(
    authority: AuthoritativeEngine, data: bytes, now_s: int, respond: Callable[[bytes, Pdu], bytes | None]
) -> bytes | None:
    """The response or report. `respond(context, pdu)` gives the encoded PDU, or None for silence.

    Raises Malformed for what is no SNMPv3 message.
    """
    here = Engine(authority.id, authority.boots, now_s)
    head = read_head(data)
    user = authority.users.get(head.user)
    try:
        envelope = unseal(data, user if head.flags & _LEVEL else None)
    except Refused as refused:
        # A name we do not know has no keys to be checked by: the name is what is wrong.
        error = refused.error if user is not None else _check(here, head, user)
        return _report(here, user, head, error or refused.error)
    error = _check(here, envelope, user)
    if error is not None or user is None:
        return _report(here, user, head, error or UsmError.UNKNOWN_USER)
    context_engine, context, at = read_scoped(envelope.scoped)
    made = respond(context, decode_pdu(envelope.scoped, at))
    if made is None:
        return None
    # The context goes back as it came (RFC 3412 7.1): that of an inform is its sender's.
    scoped = scoped_pdu(context_engine, context, made)
    return seal(user, here, envelope.message_id, envelope.flags & _LEVEL, scoped)


def read_head(data: bytes) -> Envelope:
    """What a message says before anything of it is checked or decrypted. Raises Malformed."""
    at, flags = _flags_at(data)
    plain = data[:at] + bytes((flags & ~_LEVEL,)) + data[at + 1 :]
    envelope = unseal(plain, None)
    return Envelope(envelope.message_id, flags, envelope.engine, envelope.user, b"")


def _check(here: Engine, message: Envelope, user: User | None) -> UsmError | None:
    if message.engine.id != here.id:
        return UsmError.UNKNOWN_ENGINE
    if user is None:
        return UsmError.UNKNOWN_USER
    level = message.flags & _LEVEL
    if level != user.flags:
        return UsmError.UNSUPPORTED_LEVEL
    late = abs(message.engine.time - here.time) > WINDOW_S
    if level and (message.engine.boots != here.boots or late):
        return UsmError.NOT_IN_TIME
    return None


def _report(here: Engine, user: User | None, head: Envelope, error: UsmError) -> bytes:
    counter = encode_binding(ber.encode_oid((*USM_STATS, error.value, 0)), ber.encode_int(1, ber.COUNTER32))
    scoped = scoped_pdu(here.id, b"", encode_pdu(PduType.REPORT, head.message_id, 0, 0, [counter]))
    # Only a report about time may turn a clock, so that one is authenticated (RFC 3414 3.2 step 7).
    sealed = error is UsmError.NOT_IN_TIME and user is not None and user.auth is not None
    return seal(user if sealed and user else _NOBODY, here, head.message_id, int(sealed), scoped)


def _flags_at(data: bytes) -> tuple[int, int]:
    at, _ = ber.expect(data, 0, ber.SEQUENCE)
    _, at = ber.expect(data, at, ber.INTEGER)
    at, _ = ber.expect(data, at, ber.SEQUENCE)
    for _ in range(2):
        _, at = ber.expect(data, at, ber.INTEGER)
    start, end = ber.expect(data, at, ber.OCTET_STRING)
    if end != start + 1:
        raise ber.Malformed("message flags are not one octet")
    return start, data[start]
