"""Decodes single SNMP values, tolerant of what devices are known to get wrong."""

from kiteroll.core.model import bounds
from kiteroll.core.model.mac import MacAddress
from kiteroll.snmp import ber
from kiteroll.snmp.message import Value

_NUMBERS = frozenset({ber.INTEGER, ber.COUNTER32, ber.GAUGE32, ber.TIME_TICKS, ber.COUNTER64})


def number(value: Value | None) -> int | None:
    """A whole number of 0..2**32-1, or None when there is none, or the agent sent something else.

    Every number that is read is an enumeration, an index, or an unsigned number of 32 bits (RFC 2578 section
    7.1), whatever type an agent gives it."""
    if value is None or value[0] not in _NUMBERS:
        return None
    try:
        found = ber.decode_int(value[1])
    except ber.Malformed:
        return None
    return found if 0 <= found <= bounds.COUNTER else None


def text(value: Value | None) -> str:
    """Text for people: UTF-8, else Latin-1; control characters and padding dropped."""
    if value is None or value[0] != ber.OCTET_STRING:
        return ""
    octets = value[1][: bounds.TEXT]
    try:
        decoded = octets.decode()
    except UnicodeDecodeError:
        decoded = octets.decode("latin-1")
    return printable(decoded)


def printable(text: str) -> str:
    """Without padding, and with blanks for what a terminal would obey."""
    return "".join(sign if sign.isprintable() else " " for sign in text).strip()


def physical_address(value: Value | None) -> MacAddress | None:
    """A PhysAddress of six octets; None for other lengths, all zeros and group addresses."""
    if value is None or value[0] != ber.OCTET_STRING or len(value[1]) != 6:
        return None
    mac = MacAddress.of_octets(value[1])
    return None if mac == 0 or mac.is_group else mac


def octets(value: Value | None) -> bytes:
    """The octets of an OCTET STRING; none for anything else."""
    return value[1] if value is not None and value[0] == ber.OCTET_STRING else b""


def arcs_of(index: bytes) -> tuple[int, ...] | None:
    """All arcs of an index; None when it is cut off."""
    try:
        return ber.decode_arcs(index)
    except ber.Malformed:
        return None


def index_number(index: bytes, *, position: int = 0, length: int = 1) -> int | None:
    """One arc of an index that has `length` arcs; None when it has another length, or the arc is
    larger than any index."""
    arcs = arcs_of(index)
    if arcs is None or len(arcs) != length or arcs[position] > bounds.INDEX:
        return None
    return arcs[position]
