"""Lists as spreadsheets (XLSX, ECMA-376)."""

import tempfile
from collections.abc import Iterable, Iterator
from datetime import datetime
from itertools import chain, islice
from typing import Any

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.utils import get_column_letter

from kiteroll.api.exports.rows import CONTROL, Rows, from_start
from kiteroll.schemas.flat import columns_of, values_of

_SHEET_ROWS = 1_048_575
"""Rows a sheet holds below its heading."""
_WIDEST = 60


def xlsx(name: str, rows: Rows) -> Iterator[bytes]:
    """Sheets with a frozen heading and a filter; times are times, in UTC. What one sheet cannot hold goes on
    in another."""
    book = Workbook(write_only=True)
    columns = columns_of(rows.model)
    lines = (values_of(row, columns) for row in rows.as_models())
    number = 0
    while (some := list(islice(lines, 100))) or number == 0:
        number += 1
        title = name[:31] if number == 1 else f"{name[:26]} {number}"
        _sheet(book.create_sheet(title), columns, chain(some, islice(lines, _SHEET_ROWS - len(some))), some)
    with tempfile.TemporaryFile() as file:
        book.save(file)
        yield from from_start(file)


def _sheet(sheet: Any, columns: list[str], lines: Iterable[list[Any]], some: list[list[Any]]) -> None:
    """`some`: the first rows; columns are as wide as their values there."""
    sheet.freeze_panes = "A2"
    for at, column in enumerate(columns):
        longest = max([len(column) + 3, *(len(_shown(row[at])) for row in some)])
        sheet.column_dimensions[get_column_letter(at + 1)].width = min(_WIDEST, longest + 1)
    sheet.append(columns)
    count = 1
    for row in lines:
        sheet.append([_sheet_cell(sheet, value) for value in row])
        count += 1
    sheet.auto_filter.ref = f"A1:{get_column_letter(len(columns))}{count}"


def _shown(value: Any) -> str:
    return "2026-01-01 00:00:00" if isinstance(value, datetime) else "" if value is None else str(value)


def _sheet_cell(sheet: Any, value: Any) -> Any:
    """Text stays text: a label that begins with = is not a formula."""
    if isinstance(value, datetime):
        cell = WriteOnlyCell(sheet, value.replace(tzinfo=None))  # sheets know no zones
        cell.number_format = "yyyy-mm-dd hh:mm:ss"
        return cell
    if not isinstance(value, str):
        return value
    cell = WriteOnlyCell(sheet, value.translate(CONTROL)[:32_767])
    cell.data_type = "s"
    return cell
