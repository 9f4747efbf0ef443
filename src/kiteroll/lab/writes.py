"""What can be set on a simulated switch, as IF-MIB (RFC 2863) and BRIDGE-MIB (RFC 4188) allow it."""

from collections.abc import Callable

from kiteroll.core.port_actions.actions import LONGEST_AGEING_S, LONGEST_ALIAS, SHORTEST_AGEING_S
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import ErrorStatus

_UP, _DOWN, _TESTING = 1, 2, 3


def writer_of(switch: LabSwitch, now: Callable[[], float]) -> Callable[[Oid, int, bytes], ErrorStatus]:
    """Sets objects of this switch; `now` is the time of its world."""

    def write(oid: Oid, tag: int, content: bytes) -> ErrorStatus:
        if switch.traits.refuses_writes:
            return ErrorStatus.NOT_WRITABLE
        if oid == mib.DOT1D_TP_AGING_TIME:
            return _set_ageing_time(switch, tag, content)
        port = switch.ports.get(oid[-1])
        if port is not None and oid[:-1] == mib.IF_ADMIN_STATUS:
            return _set_admin_status(switch, port, tag, content, now())
        if port is not None and oid[:-1] == mib.IF_ALIAS:
            return _set_alias(switch, port, tag, content)
        return ErrorStatus.NOT_WRITABLE

    return write


def _set_admin_status(switch: LabSwitch, port: LabPort, tag: int, content: bytes, now: float) -> ErrorStatus:
    if tag != ber.INTEGER:
        return ErrorStatus.WRONG_TYPE
    value = ber.decode_int(content)
    if value == _TESTING:
        return ErrorStatus.INCONSISTENT_VALUE
    if value not in (_UP, _DOWN):
        return ErrorStatus.WRONG_VALUE
    before = port.up
    port.admin_up = value == _UP
    if port.up != before:
        port.changed_at = now
        if not port.up:
            switch.forget_port(port.number)
    switch.version += 1
    return ErrorStatus.NO_ERROR


def _set_alias(switch: LabSwitch, port: LabPort, tag: int, content: bytes) -> ErrorStatus:
    if tag != ber.OCTET_STRING:
        return ErrorStatus.WRONG_TYPE
    if len(content) > LONGEST_ALIAS:
        return ErrorStatus.WRONG_LENGTH
    port.alias = content.decode(errors="replace")
    switch.version += 1
    return ErrorStatus.NO_ERROR


def _set_ageing_time(switch: LabSwitch, tag: int, content: bytes) -> ErrorStatus:
    if tag != ber.INTEGER:
        return ErrorStatus.WRONG_TYPE
    seconds = ber.decode_int(content)
    if not SHORTEST_AGEING_S <= seconds <= LONGEST_AGEING_S:
        return ErrorStatus.WRONG_VALUE
    switch.ageing_s = seconds
    switch.version += 1
    return ErrorStatus.NO_ERROR
