"""Answers as nearly all are: rows of a table, columns side by side. They are read about twice as fast as
their variable bindings one by one, and to the same end; any other answer is left to `message.decode_pdu`."""

from collections.abc import Sequence
from itertools import cycle

from kiteroll.snmp import ber
from kiteroll.snmp.message import Rows, decode_value, small_value

_HEADER_OCTETS = 4
"""SEQUENCE, its length, OBJECT IDENTIFIER, its length: in front of a name, while both lengths are short."""


class TableRows:
    """Reads answers to a request for the next rows of these columns."""

    def __init__(self, columns: Sequence[bytes]) -> None:
        """`columns`: encoded object identifiers, which differ in their last octet alone."""
        self._entry = columns[0][:-1]
        self._columns = [column[-1] for column in columns]
        self._layouts: dict[bytes, tuple[int, int]] = {}

    @staticmethod
    def can_read(columns: Sequence[bytes]) -> bool:
        """Whether they are columns of one table, with numbers below 128."""
        return len({column[:-1] for column in columns}) == 1 and all(column[-2] < 0x80 for column in columns)

    def read(self, data: bytes, at: int, end: int) -> Rows | None:
        """Rows of the list of variable bindings between `at` and `end`. None where that is not made of whole
        repetitions of rows that have values, or holds the octets of a name elsewhere as well."""
        try:
            return self._read(data[at:end].split(self._entry))
        except (IndexError, ber.Malformed):
            return None

    def _read(self, parts: list[bytes]) -> Rows | None:
        """`parts`: a header; then, of each variable binding, its name behind the octets that all names share,
        its value, and the header of the next one. Raises IndexError or Malformed where they are not."""
        rows: Rows = [{} for _ in self._columns]
        header, *parts = parts
        if not parts or len(parts) % len(rows):
            return None
        layouts, stop = self._layouts, 0
        for part, column, into in zip(parts, cycle(self._columns), cycle(rows), strict=False):
            value_at, stop = layouts.get(header) or self._layout(header)
            value = small_value(part[value_at:stop])
            if value is None:
                value = decode_value(part, value_at, stop)
                if value[0] in ber.EXCEPTIONS:
                    return None
            if part[0] != column or part[value_at - 1] & 0x80:
                return None
            into[part[1:value_at]] = value
            header = part[stop:]
        whole = len(parts[-1]) == stop and all(len(found) * len(rows) == len(parts) for found in rows)
        return rows if whole else None

    def _layout(self, header: bytes) -> tuple[int, int]:
        """Where the value begins and ends in what stands behind the header. Raises Malformed."""
        if len(header) != _HEADER_OCTETS:
            raise ber.Malformed("no header of a variable binding")
        sequence, length, name, name_length = header
        value_at = name_length - len(self._entry)
        short = length | name_length < 0x80
        if sequence != ber.SEQUENCE or name != ber.OBJECT_IDENTIFIER or not short or value_at < 2:
            raise ber.Malformed("no header of a variable binding with a short name of the table")
        layout = self._layouts[header] = value_at, length - 2 - len(self._entry)
        return layout
