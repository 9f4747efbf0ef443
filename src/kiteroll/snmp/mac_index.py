"""MAC addresses as indexes of a table (INDEX of a MacAddress, RFC 2578 section 7.7): six arcs, an octet each.

An arc below 128 is one octet of the encoded index, a larger one the octet 0x81 and the lower seven bits. To
take the marks out and put all high bits in at once takes less than half as long as decoding arc by arc.
"""

from itertools import product

_OCTETS = 6
_MARK = b"\x81"
_SHAPE = bytes(0 if octet < 0x80 else 1 if octet == 0x81 else 2 for octet in range(256))
"""Translates an encoded index to where its marks stand; 2 is in none of an address."""
_HIGH_BITS = {
    b"".join(b"\x01\x00" if high else b"\x00" for high in octets): sum(
        0x80 << 8 * (_OCTETS - 1 - at) for at, high in enumerate(octets) if high
    )
    for octets in product((False, True), repeat=_OCTETS)
}
"""By the shape of an encoded index: the high bits of the address."""


def mac_of_index(encoded: bytes) -> int | None:
    """The address; None for an index that is anything else, or not in its shortest form."""
    high_bits = _HIGH_BITS.get(encoded.translate(_SHAPE))
    if high_bits is None:
        return None
    return int.from_bytes(encoded.translate(None, _MARK), "big") | high_bits
