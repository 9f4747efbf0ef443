"""Walking a table of an SNMP agent by its columns, side by side."""

from collections.abc import Mapping, Sequence

from kiteroll.collect.exchange import Exchange, SnmpRequest, error_name
from kiteroll.collect.limits import Limits
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import V1, Binding, ErrorStatus, Pdu, PduType, RowReader, Rows, Value
from kiteroll.snmp.table_rows import TableRows

_NO_ADVANCE = "the agent's answers do not advance: it goes back to objects it gave before"


class ColumnWalk(Exchange):
    """Walks columns of one table side by side. `columns` holds the rows read so far.

    A row is known by the encoded part of its OID behind the column's: the encoded index.
    """

    def __init__(self, columns: Sequence[Oid], version: int, limits: Limits) -> None:
        super().__init__(version, limits)
        self.columns: dict[Oid, dict[bytes, Value]] = {column: {} for column in columns}
        self._prefixes = {column: ber.encode_oid(column) for column in columns}
        self._cursors = dict(self._prefixes)
        self._reached: dict[Oid, Oid] = dict.fromkeys(columns, ())
        """Index of the last row of each column: how far its walk came."""
        self._open = list(columns)
        self._readers: dict[tuple[Oid, ...], RowReader | None] = {}
        self._together = len(self._open)
        self._repetitions = 1 if version == V1 else max(1, limits.bindings // max(1, len(columns)))
        if not self._open:
            self.end()

    @property
    def rows(self) -> int:
        return max((len(rows) for rows in self.columns.values()), default=0)

    def _request(self, timeout_s: float) -> SnmpRequest:
        kind = PduType.GET_NEXT if self.version == V1 else PduType.GET_BULK
        asked = self._open[: self._together]
        return SnmpRequest(
            kind, tuple(self._cursors[column] for column in asked), self._repetitions, timeout_s
        )

    def row_reader(self) -> RowReader | None:
        asked = tuple(self._open[: self._together])
        if asked not in self._readers:
            names = [self._prefixes[column] for column in asked]
            self._readers[asked] = TableRows(names).read if TableRows.can_read(names) else None
        return self._readers[asked]

    def _on_values(self, pdu: Pdu) -> None:
        asked = self._open[: self._together]
        if pdu.rows is not None:
            self._on_rows(asked, pdu.rows)
            return
        if not pdu.bindings:
            self.end("the agent answered without any value")
            return
        if self._is_too_much(len(pdu.bindings), len(asked)):
            return
        over: set[Oid] = set()
        latest: dict[Oid, bytes] = {}
        for at, column in enumerate(asked):
            # The values of one column stand `width` apart; a last repetition may be cut short.
            last, after = self._accept(column, pdu.bindings[at :: len(asked)], over)
            if last is not None:
                latest[column] = last
            reached = self._cursors[column] if last is None else self._prefixes[column] + last
            if after is not None and ber.decode_arcs(after) <= ber.decode_arcs(reached):
                self.end(_NO_ADVANCE)
                return
        if not over and not latest:
            self.end("the agent answered with exceptions only")
        self._advance(latest)
        if over:
            self._close(over)

    def _on_rows(self, asked: Sequence[Oid], rows: Rows) -> None:
        if self._is_too_much(len(rows) * len(rows[0]), len(asked)):
            return
        latest: dict[Oid, bytes] = {}
        for column, found in zip(asked, rows, strict=True):
            self.columns[column].update(found)
            latest[column] = next(reversed(found))
        self._advance(latest)

    def _is_too_much(self, values: int, columns: int) -> bool:
        """Whether an answer holds more than was asked for, which ends the walk."""
        if values > columns * max(1, self._repetitions):
            self.end(f"the agent answered with {values} values, more than it was asked for")
            return True
        return False

    def _advance(self, latest: Mapping[Oid, bytes]) -> None:
        """Go on behind the last rows of an answer. `latest`: their encoded indexes, by column. One comparison
        an answer is enough: a walk that goes round in circles must step back between two answers at some
        time. Raises Malformed."""
        for column, encoded in latest.items():
            index = ber.decode_arcs(encoded)
            if len(column) + len(index) > ber.MAX_ARCS:
                raise ber.Malformed(f"object identifier of {len(column) + len(index)} arcs")
            if index <= self._reached[column]:
                self.end(_NO_ADVANCE)
                return
            self._cursors[column], self._reached[column] = self._prefixes[column] + encoded, index
        if self.rows > self.limits.rows:
            self.end(f"more than {self.limits.rows} rows: broken off")

    def _accept(
        self, column: Oid, bindings: Sequence[Binding], over: set[Oid]
    ) -> tuple[bytes | None, bytes | None]:
        """Keep a column's rows; returns the index of the last one, and the OID of the object behind the
        column where it ends with one. A column that ends goes into `over`."""
        prefix, rows = self._prefixes[column], self.columns[column]
        length = len(prefix)
        last = None
        end, exceptions = ber.END_OF_MIB_VIEW, ber.EXCEPTIONS
        for oid, value in bindings:
            tag, index = value[0], oid[length:]
            if tag == end or not index or not oid.startswith(prefix):
                over.add(column)
                return last, None if tag == end else oid
            if tag not in exceptions:
                rows[index] = value
                last = index
        return last, None

    def _on_error(self, pdu: Pdu) -> None:
        asked = self._open[: self._together]
        if pdu.error_status == ErrorStatus.NO_SUCH_NAME and self.version == V1:
            at = pdu.error_index if 1 <= pdu.error_index <= len(asked) else 1
            self._close({asked[at - 1]})
        elif self._repetitions > 1:
            self._request_less()
        elif self._together > 1:
            self._together = 1
        else:
            self.end(f"the agent answered {error_name(pdu.error_status)}")

    def _close(self, over: set[Oid]) -> None:
        self._open = [column for column in self._open if column not in over]
        if not self._open:
            self.end()

    def _request_less(self) -> None:
        self._repetitions = max(1, self._repetitions // 2)
