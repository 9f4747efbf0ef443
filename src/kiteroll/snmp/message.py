"""Community messages and PDUs of SNMP v1 and v2c (RFC 1157, RFC 1901, RFC 3416)."""

from collections.abc import Callable, Iterable, Sequence
from enum import IntEnum
from typing import NamedTuple

from kiteroll.snmp import ber
from kiteroll.snmp.ber import Malformed

V1 = 0
V2C = 1

Value = tuple[int, bytes]
"""Tag and content as they came."""
Binding = tuple[bytes, Value]
"""Encoded object identifier, and the value."""
Rows = list[dict[bytes, Value]]
"""Of a table, by column: encoded index to value, in the order of the answer."""
RowReader = Callable[[bytes, int, int], Rows | None]
"""Reads rows from the list of variable bindings that is the content between two places of a message; None: it
has to be read one by one."""


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


class Pdu(NamedTuple):
    kind: int
    request_id: int
    error_status: int
    """In a GETBULK request: non-repeaters."""
    error_index: int
    """In a GETBULK request: max-repetitions."""
    bindings: list[Binding]
    rows: Rows | None = None
    """What a reader of rows made of the bindings, which are not read one by one then."""


class Message(NamedTuple):
    version: int
    community: bytes
    pdu: Pdu


def encode_binding(oid: bytes, value: bytes) -> bytes:
    """One variable binding of an encoded OID and a whole encoded value."""
    length = 2 + len(oid) + len(value)
    if length < 0x80:  # as nearly all are: both lengths take one octet
        return bytes((ber.SEQUENCE, length, ber.OBJECT_IDENTIFIER, len(oid))) + oid + value
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


def decode_message(data: bytes, rows: RowReader | None = None) -> Message:
    """Raises Malformed when the bytes are not one community message."""
    at, _ = ber.expect(data, 0, ber.SEQUENCE)
    start, at = ber.expect(data, at, ber.INTEGER)
    version = ber.decode_int(data[start:at])
    start, at = ber.expect(data, at, ber.OCTET_STRING)
    community = data[start:at]
    return Message(version, community, decode_pdu(data, at, rows))


def decode_pdu(data: bytes, at: int, rows: RowReader | None = None) -> Pdu:
    kind, at, _ = ber.read(data, at)
    numbers = []
    for _ in range(3):
        start, at = ber.expect(data, at, ber.INTEGER)
        numbers.append(ber.decode_int(data[start:at]))
    start, end = ber.expect(data, at, ber.SEQUENCE)
    found = None if rows is None else rows(data, start, end)
    bindings = _decode_bindings(data, start, end) if found is None else []
    return Pdu(kind, numbers[0], numbers[1], numbers[2], bindings, found)


_SMALL_OCTETS = 5
_SMALL_AT_MOST = 4096
_small: dict[bytes, Value] = {}
"""Whole encoded values that came lately, to what they are: most of a table's are port numbers and states, the
same few in thousands of rows. No exceptions."""
small_value = _small.get


def _decode_bindings(data: bytes, at: int, end: int) -> list[Binding]:
    """The hot loop of every table walk: short lengths are read in place, long ones by `ber.expect`."""
    bindings: list[Binding] = []
    append = bindings.append
    try:
        while at < end:
            sequence, length, name, name_length = data[at : at + 4]
            if sequence == 0x30 and name == 0x06 and length | name_length < 0x80:
                start, value_at, stop = at + 4, at + 4 + name_length, at + 2 + length
            else:
                start, stop = ber.expect(data, at, ber.SEQUENCE)
                start, value_at = ber.expect(data, start, ber.OBJECT_IDENTIFIER)
            oid = data[start:value_at]
            if not oid:
                raise Malformed("empty object identifier")
            if oid[-1] & 0x80:
                raise Malformed("object identifier ends in the middle of an arc")
            append((oid, small_value(data[value_at:stop]) or decode_value(data, value_at, stop)))
            at = stop
    except Malformed:
        raise
    except ValueError as cut:
        raise Malformed("message ends in the middle of a variable binding") from cut
    if at != end:
        raise Malformed("variable bindings that do not add up to the length of their list")
    return bindings


def decode_value(data: bytes, at: int, stop: int) -> Value:
    """Raises Malformed when anything but one element lies between `at` and `stop`."""
    tag, start, end = ber.read(data, at)
    if end != stop:
        raise Malformed("variable binding whose parts do not add up to its length")
    value = tag, data[start:end]
    if stop - at <= _SMALL_OCTETS and tag not in ber.EXCEPTIONS:
        if len(_small) >= _SMALL_AT_MOST:
            _small.clear()
        _small[data[at:stop]] = value
    return value
