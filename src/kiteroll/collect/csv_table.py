"""Reads a MAC address table from CSV by a mapping of its columns. Pure.

For devices and sites that cannot be reached: someone exports the table there, the file is carried
here. Every problem of a file is found before anything of it is used.
"""

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from io import StringIO

from kiteroll.core.errors import BadAddress, Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Entry, Port, Reading, Status, Vlan, key_of
from kiteroll.core.model.whole_number import whole_number

_MAX_PROBLEMS = 20
_MAX_ROWS = 200_000
_DECIMAL = re.compile(r"\d{1,3}([.:-])\d{1,3}(\1\d{1,3}){4}")


@dataclass(frozen=True, slots=True, kw_only=True)
class TableMapping:
    """Columns are named by the heading, or by number from 1 when the file has none."""

    address: str
    port: str
    vlan: str = ""
    """Empty: the file has no VLANs."""
    status: str = ""
    """Empty: every row was learned."""
    delimiter: str = ","
    heading: bool = True
    skip: int = 0
    """Lines before the heading, or before the first row, that say something else."""
    notation: str = "hex"
    """Of addresses: `hex` in any common grouping, or `decimal`: six numbers 0 to 255."""
    learned: tuple[str, ...] = ()
    """Values of the status column that mean learned, whatever their case; needed with `status`."""
    port_name: str = "{port}"
    """How the port is called here; {port} stands for what the file says."""
    port_names: Mapping[str, str] = field(default_factory=dict)
    """Ports called otherwise: what the file says to the name; wins over `port_name`."""

    def __post_init__(self) -> None:
        if len(self.delimiter) != 1:
            raise Invalid("delimiter: it is one character, such as , or ; or a tab")
        if self.notation not in ("hex", "decimal"):
            raise Invalid("notation: it is hex or decimal")
        if "{port}" not in self.port_name:
            raise Invalid("port_name: it must hold {port}, where what the file says goes")
        if self.status and not self.learned:
            raise Invalid("learned: say which words of the status column mean learned")
        if not self.heading:
            for name in filter(None, (self.address, self.port, self.vlan, self.status)):
                if whole_number(name, least=1, most=1000) is None:
                    raise Invalid(f"{name!r} is no column number: without a heading, columns go from 1")

    def named(self, port: str) -> str:
        return self.port_names.get(port) or self.port_name.replace("{port}", port)


@dataclass(frozen=True, slots=True)
class _Row:
    line: int
    mac: MacAddress
    vlan: int | None
    port: str
    learned: bool


class _Wrong(Exception):
    def __init__(self, column: str, what: str) -> None:
        super().__init__(column, what)
        self.column = column
        self.what = what


def read_table(
    switch: str,
    taken_at: datetime,
    text: str,
    mapping: TableMapping,
    known_ports: Mapping[int, str],
    file: str,
) -> Reading:
    """The whole file as one complete reading. `known_ports`: number to name, kept as they are.

    Raises Invalid naming file, line and column of everything that is wrong (the first twenty).
    """
    problems: list[str] = []
    rows: list[_Row] = []
    for line, cells in _cells(text, mapping, file):
        try:
            rows.append(_row(line, cells, mapping))
        except _Wrong as wrong:
            problems.append(f"{file}, line {line}, column {wrong.column}: {wrong.what}")
            if len(problems) == _MAX_PROBLEMS:
                problems.append("and perhaps more")
                break
    problems = problems or list(_contradictions(rows, file))
    if problems:
        raise Invalid("\n  ".join(("nothing of the file was taken:", *problems)))
    return _reading(switch, taken_at, rows, known_ports)


def _cells(text: str, mapping: TableMapping, file: str) -> Iterator[tuple[int, Mapping[str, str]]]:
    lines = text.removeprefix("\ufeff").splitlines(keepends=True)[mapping.skip :]
    reader = csv.reader(StringIO("".join(lines)), delimiter=mapping.delimiter, strict=True)
    heading: list[str] | None = None
    try:
        for count, cells in enumerate(reader):
            line = reader.line_num + mapping.skip
            if mapping.heading and heading is None:
                heading = [cell.strip() for cell in cells]
                _check_heading(heading, mapping, file, line)
                continue
            if count > _MAX_ROWS:
                raise Invalid(f"{file}, line {line}: more than {_MAX_ROWS} rows in one table")
            if any(cell.strip() for cell in cells):
                names = heading or [str(number) for number in range(1, len(cells) + 1)]
                yield line, {name: cell.strip() for name, cell in zip(names, cells, strict=False)}
    except csv.Error as wrong:
        raise Invalid(f"{file}, line {reader.line_num + mapping.skip}: it is no CSV: {wrong}") from wrong
    if mapping.heading and heading is None:
        raise Invalid(f"{file}: it is empty; line {mapping.skip + 1} should be the heading")


def _check_heading(heading: Sequence[str], mapping: TableMapping, file: str, line: int) -> None:
    wanted = filter(None, (mapping.address, mapping.port, mapping.vlan, mapping.status))
    missing = [name for name in wanted if name not in heading]
    if missing:
        raise Invalid(
            f"{file}, line {line}: there is no column {', '.join(map(repr, missing))}; the heading names "
            f"{', '.join(map(repr, heading))}. Correct the mapping, its delimiter or its skip"
        )


def _row(line: int, cells: Mapping[str, str], mapping: TableMapping) -> _Row:
    learned = True
    if mapping.status:
        learned = _cell(cells, mapping.status).lower() in {word.lower() for word in mapping.learned}
    port = _cell(cells, mapping.port)
    name = mapping.named(port)
    if len(name) > 255:
        raise _Wrong(mapping.port, "a port name has at most 255 characters")
    return _Row(line, _address(cells, mapping), _vlan(cells, mapping), name, learned)


def _cell(cells: Mapping[str, str], column: str) -> str:
    text = cells.get(column, "")
    if not text:
        raise _Wrong(column, "it is empty")
    return text


def _address(cells: Mapping[str, str], mapping: TableMapping) -> MacAddress:
    text = _cell(cells, mapping.address)
    try:
        if mapping.notation == "hex":
            return MacAddress.parse(text)
        numbers = [int(part) for part in re.split(r"[.:-]", text)] if _DECIMAL.fullmatch(text) else []
        if len(numbers) != 6 or max(numbers) > 255:
            raise _Wrong(mapping.address, f"{text!r} is not six decimal numbers from 0 to 255")
        return MacAddress.of_octets(bytes(numbers))
    except BadAddress as wrong:
        raise _Wrong(mapping.address, str(wrong)) from wrong


def _vlan(cells: Mapping[str, str], mapping: TableMapping) -> int | None:
    text = cells.get(mapping.vlan, "") if mapping.vlan else ""
    if not text:
        return None
    if (vlan := whole_number(text, least=1, most=bounds.VLAN)) is None:
        raise _Wrong(mapping.vlan, f"{text!r} is no VLAN: 1 to 4094, or empty")
    return vlan


def _contradictions(rows: Sequence[_Row], file: str) -> Iterator[str]:
    """A table holds an address once a VLAN."""
    seen: dict[int, _Row] = {}
    for row in rows:
        before = seen.setdefault(key_of(row.mac, row.vlan), row)
        if before.port != row.port:
            yield f"{file}, line {row.line}: {row.mac} stands in line {before.line} already, at {before.port}"


def _reading(
    switch: str, taken_at: datetime, rows: Sequence[_Row], known_ports: Mapping[int, str]
) -> Reading:
    numbers = {name: number for number, name in known_ports.items()}
    for row in rows:
        if row.port not in numbers:
            numbers[row.port] = max(numbers.values(), default=0) + 1
    learned = {
        key_of(row.mac, row.vlan): numbers[row.port] for row in rows if row.learned and not row.mac.is_group
    }
    others = [
        Entry(mac=row.mac, vlan=row.vlan, port=row.port, status=Status.OTHER)
        for row in rows
        if not row.learned and not row.mac.is_group
    ]
    return Reading(
        switch=switch,
        taken_at=taken_at,
        ports=tuple(Port(number=number, name=name) for name, number in numbers.items()),
        vlans=tuple(Vlan(id=vlan) for vlan in sorted({row.vlan for row in rows if row.vlan})),
        learned=learned,
        others=tuple(others),
    )
