"""The status of rows of the MAC address table, remembered: a row that stays at its port is not asked for it
each time, which halves what a switch has to answer."""

from array import array
from collections.abc import Mapping

from kiteroll.collect.values import arcs_of
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import Value

_LEARNED = (ber.INTEGER, b"\x03")
_INVALID = b"\x02"
"""dot1qTpFdbStatus and dot1dTpFdbStatus (RFC 4363, RFC 4188): learned(3), invalid(2)."""
_NEW_IN_FOUR = 4
"""Above one new row in so many, the status column is read rather than single objects of it."""


class RowStatuses:
    """The rows of one table as last read: indexes, ports and statuses. Takes 8 octets a learned row."""

    def __init__(self, ports: Mapping[bytes, Value], others: Mapping[bytes, Value]) -> None:
        """`ports`: the port column by encoded index. `others`: the statuses that are not learned(3)."""
        self._rows = _hashes(ports)
        self._others = dict(others)

    @classmethod
    def of(cls, ports: Mapping[bytes, Value], statuses: Mapping[bytes, Value]) -> "RowStatuses | None":
        """Of two whole columns. None where they have not the same rows, or where a row is invalid(2): its
        switch shows by the status that a row aged out."""
        others = {index: status for index, status in statuses.items() if status != _LEARNED}
        aged_out = any(status[1] == _INVALID for status in others.values())
        return None if aged_out or ports.keys() != statuses.keys() else cls(ports, others)

    @property
    def count(self) -> int:
        return len(self._rows)

    def known(self, ports: Mapping[bytes, Value]) -> dict[bytes, Value]:
        """The statuses of the rows that are where they were; a row at another port may have another."""
        rows = _hashes(ports)
        if rows == self._rows:
            return dict.fromkeys(ports, _LEARNED) | self._others
        before = set(self._rows)
        found = {index: _LEARNED for index, row in zip(ports, rows, strict=True) if row in before}
        return found | {index: status for index, status in self._others.items() if index in found}


def _hashes(ports: Mapping[bytes, Value]) -> "array[int]":
    return array("q", map(hash, ports.items()))


def asked_for(column: Oid, ports: Mapping[bytes, Value], known: Mapping[bytes, Value]) -> list[Oid] | None:
    """The objects of the status column whose value is not known; None where they are so many that the whole
    column is read sooner, or one of them cannot be named."""
    unknown = [index for index in ports if index not in known]
    if len(unknown) * _NEW_IN_FOUR > len(ports):
        return None
    named = [(*column, *arcs) for index in unknown if (arcs := arcs_of(index))]
    return named if len(named) == len(unknown) else None
