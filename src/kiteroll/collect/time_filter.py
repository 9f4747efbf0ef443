"""Walking a table whose first index is a TimeFilter (RFC 4502 section 6, dot1qVlanTimeMark)."""

from collections.abc import Sequence
from itertools import islice

from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.limits import Limits
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import Pdu


class TimeFilteredWalk(ColumnWalk):
    """Ends after one pass over the rows.

    An agent that takes the TimeFilter at its word offers every row again under each later time
    mark, so a plain walk would go on for years of time marks. The first row that comes back under
    another mark means the pass is over; one row a (rest of the) index is kept.
    """

    def __init__(self, columns: Sequence[Oid], version: int, limits: Limits) -> None:
        super().__init__(columns, version, limits)
        self._first_marks: dict[Oid, dict[Oid, int]] = {column: {} for column in columns}
        """Column to the mark under which each row came first."""

    def _on_values(self, pdu: Pdu) -> None:
        super()._on_values(pdu)
        for column in self.columns:
            if column in self._open and self._repeats(column):
                self._close({column})

    def _repeats(self, column: Oid) -> bool:
        """Whether a row came under two time marks; the later copies are dropped."""
        rows, first_marks = self.columns[column], self._first_marks[column]
        again = []
        for index in islice(rows, len(first_marks), None):
            mark, *rest = ber.decode_arcs(index)
            if first_marks.setdefault(tuple(rest), mark) != mark:
                again.append(index)
        for index in again:
            del rows[index]
        return bool(again)
