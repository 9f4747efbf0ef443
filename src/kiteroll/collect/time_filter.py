"""Walking a table whose first index is a TimeFilter (RFC 4502 section 6, dot1qVlanTimeMark)."""

from kiteroll.collect.exchange import ColumnWalk
from kiteroll.snmp import ber
from kiteroll.snmp.message import Pdu


class TimeFilteredWalk(ColumnWalk):
    """Ends after one pass over the rows.

    An agent that takes the TimeFilter at its word offers every row again under each later time
    mark, so a plain walk would go on for years of time marks. The first row that comes back under
    another mark means the pass is over; one row a (rest of the) index is kept.
    """

    def _on_values(self, pdu: Pdu) -> None:
        super()._on_values(pdu)
        for column, rows in self.columns.items():
            if column in self._open and _repeats(rows):
                self._close({column})


def _repeats(rows: dict[bytes, tuple[int, bytes]]) -> bool:
    """Whether a row came under two time marks; the later copies are dropped."""
    first_marks: dict[ber.Oid, int] = {}
    again = []
    for index in rows:
        mark, *rest = ber.decode_arcs(index)
        if first_marks.setdefault(tuple(rest), mark) != mark:
            again.append(index)
    for index in again:
        del rows[index]
    return bool(again)
