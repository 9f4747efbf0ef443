"""Community messages and PDUs of SNMP v1 and v2c (RFC 1157, RFC 1901, RFC 3416)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import IntEnum

from kiteroll.snmp import ber
from kiteroll.snmp.ber import Malformed

V1 = 0
V2C = 1

Binding = tuple[bytes, int, bytes]
"""Encoded object identifier, tag of the value, content of the value."""


class PduType(IntEnum):
    GET = 0xA0
    GET_NEXT = 0xA1
    RESPONSE = 0xA2
    SET = 0xA3
    GET_BULK = 0xA5
    INFORM = 0xA6
    TRAP = 0xA7
    REPORT = 0xA8


class ErrorStatus(IntEnum):
    """error-status (RFC 3416 section 3); those of v1 have the same numbers."""

    NO_ERROR = 0
    TOO_BIG = 1
    NO_SUCH_NAME = 2
    BAD_VALUE = 3
    READ_ONLY = 4
    GEN_ERR = 5
    NO_ACCESS = 6
    WRONG_TYPE = 7
    WRONG_LENGTH = 8
    WRONG_ENCODING = 9
    WRONG_VALUE = 10
    NO_CREATION = 11
    INCONSISTENT_VALUE = 12
    RESOURCE_UNAVAILABLE = 13
    COMMIT_FAILED = 14
    UNDO_FAILED = 15
    AUTHORIZATION_ERROR = 16
    NOT_WRITABLE = 17
    INCONSISTENT_NAME = 18


@dataclass(frozen=True, slots=True)
class Pdu:
    kind: int
    request_id: int
    error_status: int
    """In a GETBULK request: non-repeaters."""
    error_index: int
    """In a GETBULK request: max-repetitions."""
    bindings: list[Binding]


@dataclass(frozen=True, slots=True)
class Message:
    version: int
    community: bytes
    pdu: Pdu


def encode_binding(oid: bytes, value: bytes) -> bytes:
    """One variable binding of an encoded OID and a whole encoded value."""
    return ber.encode(ber.SEQUENCE, ber.encode(ber.OBJECT_IDENTIFIER, oid) + value)


_NULL = ber.encode(ber.NULL, b"")


def encode_request(
    version: int,
    community: bytes,
    kind: PduType,
    request_id: int,
    oids: Sequence[bytes],
    *,
    repetitions: int = 0,
) -> bytes:
    """A request in a community message."""
    return wrap(version, community, request_pdu(kind, request_id, oids, repetitions=repetitions))


def request_pdu(kind: PduType, request_id: int, oids: Sequence[bytes], *, repetitions: int = 0) -> bytes:
    """`repetitions` is max-repetitions of a GETBULK, whose non-repeaters are none."""
    return encode_pdu(kind, request_id, 0, repetitions, [encode_binding(oid, _NULL) for oid in oids])


def set_pdu(request_id: int, bindings: Sequence[tuple[bytes, bytes]]) -> bytes:
    """A SET of encoded object identifiers to whole encoded values (RFC 3416 section 4.2.5)."""
    return encode_pdu(PduType.SET, request_id, 0, 0, [encode_binding(oid, value) for oid, value in bindings])


def encode_message(
    version: int,
    community: bytes,
    kind: PduType,
    request_id: int,
    error_status: int,
    error_index: int,
    bindings: Iterable[bytes],
) -> bytes:
    return wrap(version, community, encode_pdu(kind, request_id, error_status, error_index, bindings))


def encode_pdu(
    kind: PduType, request_id: int, error_status: int, error_index: int, bindings: Iterable[bytes]
) -> bytes:
    pdu = (
        ber.encode_int(request_id)
        + ber.encode_int(error_status)
        + ber.encode_int(error_index)
        + ber.encode(ber.SEQUENCE, b"".join(bindings))
    )
    return ber.encode(kind, pdu)


def wrap(version: int, community: bytes, pdu: bytes) -> bytes:
    """A community message around an encoded PDU."""
    body = ber.encode_int(version) + ber.encode(ber.OCTET_STRING, community) + pdu
    return ber.encode(ber.SEQUENCE, body)


def decode_message(data: bytes) -> Message:
    """Raises Malformed when the bytes are not one community message."""
    at, _ = ber.expect(data, 0, ber.SEQUENCE)
    start, at = ber.expect(data, at, ber.INTEGER)
    version = ber.decode_int(data[start:at])
    start, at = ber.expect(data, at, ber.OCTET_STRING)
    community = data[start:at]
    return Message(version, community, decode_pdu(data, at))


def decode_pdu(data: bytes, at: int) -> Pdu:
    kind, at, _ = ber.read(data, at)
    numbers = []
    for _ in range(3):
        start, at = ber.expect(data, at, ber.INTEGER)
        numbers.append(ber.decode_int(data[start:at]))
    start, end = ber.expect(data, at, ber.SEQUENCE)
    return Pdu(kind, numbers[0], numbers[1], numbers[2], _decode_bindings(data, start, end))


def _decode_bindings(data: bytes, at: int, end: int) -> list[Binding]:
    """The hot loop of every table walk: short lengths are read in place, long ones by `ber.read`."""
    bindings: list[Binding] = []
    append = bindings.append
    try:
        while at < end:
            if data[at] != 0x30 or data[at + 1] & 0x80:
                start, stop = ber.expect(data, at, ber.SEQUENCE)
            else:
                start = at + 2
                stop = start + data[at + 1]
            if data[start] != 0x06 or data[start + 1] & 0x80:
                first, value_at = ber.expect(data, start, ber.OBJECT_IDENTIFIER)
            else:
                first = start + 2
                value_at = first + data[start + 1]
            length = data[value_at + 1]
            if length & 0x80:
                tag, value, at = ber.read(data, value_at)
            else:
                tag = data[value_at]
                value = value_at + 2
                at = value + length
            if first == value_at:
                raise Malformed("empty object identifier")
            if data[value_at - 1] & 0x80:
                raise Malformed("object identifier ends in the middle of an arc")
            if at != stop or stop > end:
                raise Malformed("variable binding whose parts do not add up to its length")
            append((data[first:value_at], tag, data[value:at]))
    except IndexError as cut:
        raise Malformed("message ends in the middle of a variable binding") from cut
    return bindings
