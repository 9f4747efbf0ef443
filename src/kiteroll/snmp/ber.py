"""BER as SNMP uses it (RFC 3417 section 8; ITU-T X.690): definite lengths, primitive values.

Values travel as (tag, content) pairs and object identifiers as their encoded content, because a
reader of large tables compares and slices far more of them than it ever looks into.
"""

from collections.abc import Sequence

INTEGER = 0x02
OCTET_STRING = 0x04
NULL = 0x05
OBJECT_IDENTIFIER = 0x06
SEQUENCE = 0x30
IP_ADDRESS = 0x40
COUNTER32 = 0x41
GAUGE32 = 0x42
TIME_TICKS = 0x43
OPAQUE = 0x44
COUNTER64 = 0x46
NO_SUCH_OBJECT = 0x80
NO_SUCH_INSTANCE = 0x81
END_OF_MIB_VIEW = 0x82

EXCEPTIONS = frozenset({NO_SUCH_OBJECT, NO_SUCH_INSTANCE, END_OF_MIB_VIEW})
"""Tags that stand where a value would, and say there is none (RFC 3416 section 3)."""

Oid = tuple[int, ...]

MAX_ARCS = 128
MAX_ARC = 2**32 - 1
"""An object identifier has at most 128 arcs of 32 bits (RFC 2578 section 3.5)."""
_ARC_OCTETS = 5
_INT_OCTETS = 9
"""A Counter64 above 2**63 - 1 (RFC 2578 section 7.1.10)."""


class Malformed(ValueError):
    """Bytes that are no BER, or not the message they should be."""


def oid(dotted: str) -> Oid:
    return tuple(int(arc) for arc in dotted.split("."))


def encode_oid(arcs: Sequence[int]) -> bytes:
    """Content octets of an OBJECT IDENTIFIER with at least two arcs."""
    return encode_arcs((arcs[0] * 40 + arcs[1], *arcs[2:]))


def encode_arcs(arcs: Sequence[int]) -> bytes:
    """Sub-identifiers in base 128, for the part of an OID below its first two arcs."""
    if max(arcs, default=0) < 0x80:
        return bytes(arcs)
    out = bytearray()
    for arc in arcs:
        groups = [arc & 0x7F]
        while arc := arc >> 7:
            groups.append(arc & 0x7F | 0x80)
        out += bytes(reversed(groups))
    return bytes(out)


def decode_arcs(content: bytes) -> Oid:
    """The reverse of `encode_arcs`. Raises Malformed when the last arc is cut off, an arc has more than 32
    bits, or they are more than 128."""
    if len(content) > MAX_ARCS * _ARC_OCTETS:
        raise Malformed(f"object identifier of {len(content)} octets")
    arcs: list[int] = []
    value = 0
    for octet in content:
        if octet & 0x80:
            value = (value | octet & 0x7F) << 7
            if value > MAX_ARC:
                raise Malformed("object identifier with an arc of more than 32 bits")
        else:
            arcs.append(value | octet)
            value = 0
    if content and content[-1] & 0x80:
        raise Malformed("object identifier ends in the middle of an arc")
    if len(arcs) > MAX_ARCS:
        raise Malformed(f"object identifier of {len(arcs)} arcs")
    return tuple(arcs)


def decode_oid(content: bytes) -> Oid:
    arcs = decode_arcs(content)
    if not arcs:
        raise Malformed("empty object identifier")
    first = min(arcs[0] // 40, 2)
    return (first, arcs[0] - first * 40, *arcs[1:])


def encode(tag: int, content: bytes) -> bytes:
    length = len(content)
    if length < 0x80:
        return bytes((tag, length)) + content
    octets = length.to_bytes((length.bit_length() + 7) // 8, "big")
    return bytes((tag, 0x80 | len(octets))) + octets + content


def encode_int(value: int, tag: int = INTEGER) -> bytes:
    """An INTEGER, or with another tag an unsigned type, in the fewest octets."""
    bits = (value if value >= 0 else ~value).bit_length()
    return encode(tag, value.to_bytes(bits // 8 + 1, "big", signed=True))


def decode_int(content: bytes) -> int:
    if not content:
        raise Malformed("integer without octets")
    if len(content) > _INT_OCTETS:
        raise Malformed(f"integer of {len(content)} octets")
    return int.from_bytes(content, "big", signed=True)


def read(data: bytes, at: int) -> tuple[int, int, int]:
    """Tag, start and end of the content of the element at `at`. Raises Malformed if cut short."""
    try:
        tag = data[at]
        length = data[at + 1]
        at += 2
        if length & 0x80:
            count = length & 0x7F
            if not 1 <= count <= 4:
                raise Malformed(f"length of {count} octets")
            length = int.from_bytes(data[at : at + count], "big")
            at += count
    except IndexError as cut:
        raise Malformed("message ends in the middle of an element") from cut
    if at + length > len(data):
        raise Malformed(f"element of {length} octets in a message that ends before it")
    return tag, at, at + length


def expect(data: bytes, at: int, tag: int) -> tuple[int, int]:
    """Start and end of the content at `at`, which must carry `tag`."""
    found, start, end = read(data, at)
    if found != tag:
        raise Malformed(f"tag 0x{found:02x} where 0x{tag:02x} belongs")
    return start, end
