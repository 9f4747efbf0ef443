"""Lists as files: CSV, JSON, JSON Lines, XML and XLSX. Rows are written as they come, never all held."""

import csv
import io
import json
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any
from xml.sax.saxutils import escape

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from pydantic import BaseModel

from kiteroll.schemas.csv_cell import csv_cell

MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
    "jsonl": "application/jsonl",
    "xml": "application/xml",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
_SHEET_ROWS = 1_048_575
"""Rows a sheet of XLSX holds below its heading (ECMA-376)."""
_CHUNK = 64 * 1024
_CONTROL = {code: None for code in range(32) if code not in (9, 10, 13)} | {0xFFFE: None, 0xFFFF: None}
"""Characters that neither XML 1.0 (section 2.2) nor a sheet can hold."""


def write(media: str, name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    """The file, piece by piece. `name` is the list's: it names the XML elements and the sheet."""
    writers: Mapping[str, Callable[[str, Iterable[BaseModel]], Iterator[bytes]]] = {
        "csv": _csv,
        "json": _json,
        "jsonl": _jsonl,
        "xml": _xml,
        "xlsx": _xlsx,
    }
    return writers[media](name, rows)


def flat(row: BaseModel) -> dict[str, Any]:
    """One level: what is inside an object is `outer.inner`, a list is its parts with blanks between."""
    found: dict[str, Any] = {}
    for name, value in row.model_dump(mode="json").items():
        if isinstance(value, dict):
            found.update({f"{name}.{inner}": _cell(part) for inner, part in value.items()})
        else:
            found[name] = _cell(value)
    return found


def _cell(value: Any) -> Any:
    if isinstance(value, dict):
        return "; ".join(f"{name}: {part}" for name, part in value.items())
    if isinstance(value, list):
        return " ".join(json.dumps(part) if isinstance(part, dict) else str(part) for part in value)
    return value


def _columns(first: BaseModel) -> list[str]:
    """From the model, not from the first row: that may lack an object."""
    names: list[str] = []
    for name, field in type(first).model_fields.items():
        inner = [
            kind
            for kind in (field.annotation, *getattr(field.annotation, "__args__", ()))
            if isinstance(kind, type) and issubclass(kind, BaseModel)
        ]
        is_list = getattr(field.annotation, "__origin__", None) is list
        if inner and not is_list:
            names += [f"{name}.{part}" for part in inner[0].model_fields]
        else:
            names.append(name)
    return names


def _csv(name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    buffer = io.StringIO()
    columns: list[str] = []
    writer = csv.writer(buffer, lineterminator="\r\n")
    for row in rows:
        if not columns:
            columns = _columns(row)
            writer.writerow(columns)
        values = flat(row)
        writer.writerow([_csv_value(values.get(one)) for one in columns])
        if buffer.tell() > _CHUNK:
            yield _drain(buffer)
    yield _drain(buffer)


def _csv_value(value: Any) -> Any:
    return "" if value is None else csv_cell(value) if isinstance(value, str) else value


def _json(name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    yield b"["
    for number, row in enumerate(rows):
        yield (b",\n" if number else b"\n") + row.model_dump_json().encode()
    yield b"\n]\n"


def _jsonl(name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    for row in rows:
        yield row.model_dump_json().encode() + b"\n"


def _xml(name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    yield f'<?xml version="1.0" encoding="UTF-8"?>\n<{name}>\n'.encode()
    for row in rows:
        yield f"  {_element('row', row.model_dump(mode='json'))}\n".encode()
    yield f"</{name}>\n".encode()


def _element(tag: str, value: Any) -> str:
    if value is None:
        return f"<{tag}/>"
    if isinstance(value, dict):
        inner = "".join(_element(name, part) for name, part in value.items())
        return f"<{tag}>{inner}</{tag}>"
    if isinstance(value, list):
        return f"<{tag}>{''.join(_element('item', part) for part in value)}</{tag}>"
    if isinstance(value, bool):
        return f"<{tag}>{str(value).lower()}</{tag}>"
    return f"<{tag}>{escape(str(value).translate(_CONTROL))}</{tag}>"


def _xlsx(name: str, rows: Iterable[BaseModel]) -> Iterator[bytes]:
    book = Workbook(write_only=True)
    sheet = book.create_sheet(name[:31])
    columns: list[str] = []
    for count, row in enumerate(rows):
        if not columns:
            columns = _columns(row)
            sheet.append(columns)
        if count >= _SHEET_ROWS:
            break
        values = flat(row)
        sheet.append([_plain_cell(sheet, values.get(one)) for one in columns])
    with tempfile.TemporaryFile() as file:
        book.save(file)
        file.seek(0)
        while part := file.read(_CHUNK):
            yield part


def _plain_cell(sheet: Any, value: Any) -> Any:
    """Text stays text: a label that begins with = is not a formula."""
    if not isinstance(value, str):
        return value
    cell = WriteOnlyCell(sheet, value.translate(_CONTROL)[:32_767])
    cell.data_type = "s"
    return cell


def _drain(buffer: io.StringIO) -> bytes:
    text = buffer.getvalue()
    buffer.seek(0)
    buffer.truncate()
    return text.encode()
