"""The SNMPv3 side of a simulated agent: one user, discovery, time window, reports (RFC 3414)."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kiteroll.lab.mib_view import MibView
from kiteroll.snmp import ber
from kiteroll.snmp.message import Kind, Pdu, decode_pdu, encode_binding, encode_pdu
from kiteroll.snmp.usm import (
    USM_STATS,
    Engine,
    Refused,
    Trouble,
    User,
    read_scoped,
    scoped_pdu,
    seal,
    unseal,
)

_LEVEL = 3
"""The bits of msgFlags that are the security level."""
WINDOW_S = 150
"""Seconds by which a message may be off the engine's clock (RFC 3414 2.2.3)."""


@dataclass(frozen=True, slots=True)
class LabEngine:
    id: bytes
    user: User
    boots: int = 1


def answer_v3(
    engine: LabEngine,
    views: Mapping[str, MibView],
    data: bytes,
    now_s: int,
    respond: Callable[[MibView, Pdu], bytes | None],
) -> bytes | None:
    """The response or report. `views` by context name; `respond(view, pdu)` gives the encoded PDU.

    Raises Malformed for what is no SNMPv3 message.
    """
    here = Engine(engine.id, engine.boots, now_s)
    try:
        envelope = unseal(data, None if _level(data) == 0 else engine.user)
    except Refused as refused:
        return _report(engine, here, data, refused.trouble)
    trouble = _judge(engine, here, envelope.engine, envelope.user, envelope.flags & _LEVEL)
    if trouble is not None:
        return _report(engine, here, data, trouble)
    context, at = read_scoped(envelope.scoped)
    pdu = decode_pdu(envelope.scoped, at)
    view = views.get(context.decode(errors="replace"))
    made = None if view is None else respond(view, pdu)
    if made is None:
        return None
    scoped = scoped_pdu(engine.id, context, made)
    return seal(engine.user, here, envelope.message_id, envelope.flags & _LEVEL, scoped)


def _judge(engine: LabEngine, here: Engine, told: Engine, user: bytes, level: int) -> Trouble | None:
    if told.id != engine.id:
        return Trouble.UNKNOWN_ENGINE
    if user != engine.user.name.encode():
        return Trouble.UNKNOWN_USER
    if level != engine.user.flags:
        return Trouble.UNSUPPORTED_LEVEL
    if level and (told.boots != here.boots or abs(told.time - here.time) > WINDOW_S):
        return Trouble.NOT_IN_TIME
    return None


def _report(engine: LabEngine, here: Engine, data: bytes, trouble: Trouble) -> bytes:
    envelope = unseal(_plain_head(data), None)
    counter = encode_binding(ber.encode_oid((*USM_STATS, trouble.value, 0)), ber.encode_int(1, ber.COUNTER32))
    scoped = scoped_pdu(engine.id, b"", encode_pdu(Kind.REPORT, envelope.message_id, 0, 0, [counter]))
    # Only a report about time may turn a clock, so that one is authenticated (RFC 3414 3.2 step 7).
    flags = 1 if trouble is Trouble.NOT_IN_TIME else 0
    return seal(engine.user if flags else User(name=""), here, envelope.message_id, flags, scoped)


def _level(data: bytes) -> int:
    return _flags_at(data)[1] & _LEVEL


def _plain_head(data: bytes) -> bytes:
    """The message with its level taken to none, for reading its head without keys."""
    at, flags = _flags_at(data)
    return data[:at] + bytes((flags & ~_LEVEL,)) + data[at + 1 :]


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
