"""The objects of one agent: encoded once, in order of their OIDs, ready to be sliced into answers."""

from bisect import bisect_right
from collections.abc import Iterable

from kiteroll.core.model.mac import MacAddress
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import encode_binding


class MibView:
    """OIDs ascending, and for each its whole encoded variable binding."""

    def __init__(self, objects: Iterable[tuple[Oid, bytes]]) -> None:
        ordered = sorted(objects)
        self.oids = [oid for oid, _ in ordered]
        self.bindings = [encode_binding(ber.encode_oid(oid), value) for oid, value in ordered]
        self._places = {oid: at for at, oid in enumerate(self.oids)}

    def at(self, oid: Oid) -> int | None:
        """Position of this object; None where there is none."""
        return self._places.get(oid)

    def after(self, oid: Oid) -> int:
        """Position of the first object behind `oid`; one past the last when there is none."""
        at = self._places.get(oid)
        return bisect_right(self.oids, oid) if at is None else at + 1

    def replace(self, oid: Oid, value: bytes) -> None:
        self.bindings[self._places[oid]] = encode_binding(ber.encode_oid(oid), value)


def integer(value: int) -> bytes:
    return ber.encode_int(value)


def gauge(value: int) -> bytes:
    return ber.encode_int(value, ber.GAUGE32)


def counter(value: int) -> bytes:
    return ber.encode_int(value % 2**32, ber.COUNTER32)


def octets(value: str | bytes) -> bytes:
    return ber.encode(ber.OCTET_STRING, value.encode() if isinstance(value, str) else value)


def mac_octets(mac: MacAddress) -> bytes:
    return octets(mac.to_bytes(6, "big"))


def ticks(seconds: float) -> bytes:
    """TimeTicks: hundredths of a second, modulo 2**32."""
    return ber.encode_int(int(seconds * 100) % 2**32, ber.TIME_TICKS)
