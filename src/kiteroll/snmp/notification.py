"""Notifications that switches send (RFC 3416 4.2.6 and 4.2.7). No I/O."""

from collections.abc import Sequence
from dataclasses import dataclass

from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import Pdu, PduType, encode_binding, encode_pdu

_TRAP_OID = ber.oid("1.3.6.1.6.3.1.1.4.1.0")
"""snmpTrapOID.0 (SNMPv2-MIB): the second binding of every notification."""
_IF_INDEX = ber.oid("1.3.6.1.2.1.2.2.1.1")
NAMES = {
    ber.oid("1.3.6.1.6.3.1.1.5.1"): "coldStart",
    ber.oid("1.3.6.1.6.3.1.1.5.2"): "warmStart",
    ber.oid("1.3.6.1.6.3.1.1.5.3"): "linkDown",
    ber.oid("1.3.6.1.6.3.1.1.5.4"): "linkUp",
    ber.oid("1.3.6.1.2.1.17.0.1"): "newRoot",
    ber.oid("1.3.6.1.2.1.17.0.2"): "topologyChange",
}
"""Those after which a switch's table may be another (SNMPv2-MIB, IF-MIB, BRIDGE-MIB)."""
_OIDS = {name: oid for oid, name in NAMES.items()}


@dataclass(frozen=True, slots=True)
class Notification:
    name: str
    """As in NAMES; empty for any other notification."""
    interface: int | None
    """ifIndex it is about, where it names one."""


def read_notification(pdu: Pdu) -> Notification:
    """Raises Malformed when the PDU is no notification, or lacks its snmpTrapOID."""
    if pdu.kind not in (PduType.TRAP, PduType.INFORM):
        raise Malformed("it is no notification")
    kind: ber.Oid | None = None
    interface = None
    for oid, (tag, value) in pdu.bindings:
        arcs = ber.decode_oid(oid)
        if arcs == _TRAP_OID and tag == ber.OBJECT_IDENTIFIER:
            kind = ber.decode_oid(value)
        elif arcs[: len(_IF_INDEX)] == _IF_INDEX and tag == ber.INTEGER:
            interface = ber.decode_int(value)
    if kind is None:
        raise Malformed("a notification without snmpTrapOID")
    return Notification(NAMES.get(kind, ""), interface)


def inform_response(pdu: Pdu) -> bytes:
    """The response to an inform: its own bindings back (RFC 3416 4.2.7)."""
    bindings = [encode_binding(oid, ber.encode(tag, value)) for oid, (tag, value) in pdu.bindings]
    return encode_pdu(PduType.RESPONSE, pdu.request_id, 0, 0, bindings)


def notification_pdu(
    kind: PduType, request_id: int, uptime_ticks: int, name: str, interfaces: Sequence[int] = ()
) -> bytes:
    """A notification of the name, as a switch sends it."""
    bindings = [
        encode_binding(ber.encode_oid(mib.SYS_UP_TIME), ber.encode_int(uptime_ticks, ber.TIME_TICKS)),
        encode_binding(
            ber.encode_oid(_TRAP_OID), ber.encode(ber.OBJECT_IDENTIFIER, ber.encode_oid(_OIDS[name]))
        ),
        *(encode_binding(ber.encode_oid((*_IF_INDEX, at)), ber.encode_int(at)) for at in interfaces),
    ]
    return encode_pdu(kind, request_id, 0, 0, bindings)
