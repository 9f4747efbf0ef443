"""Lists as files: CSV, JSON, JSON Lines, XML, XLSX, Parquet. Rows are written as they come."""

import csv
import io
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import chain, islice
from typing import Any
from xml.sax.saxutils import escape

from pydantic_core import to_json

from kiteroll.api.exports.rows import CHUNK, CONTROL, Rows, from_start
from kiteroll.core.errors import Invalid
from kiteroll.schemas.flat import columns_of, csv_value, plain_csv_value, types_of, values_of

MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
    "jsonl": "application/jsonl",
    "xml": "application/xml",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "parquet": "application/vnd.apache.parquet",
}
_GROUP = 10_000
"""Rows of a row group of Parquet."""


@dataclass(frozen=True, slots=True)
class CsvDialect:
    """How CSV is written (RFC 4180 by default)."""

    separator: str = ","
    heading: bool = True
    formulas: bool = False
    """Leave text as it is that a spreadsheet would take for a formula."""


def write(media: str, name: str, rows: Rows, dialect: CsvDialect = CsvDialect()) -> Iterator[bytes]:
    """The file, piece by piece. `name` is the list's: it names the XML elements and the sheet. Raises Invalid
    where the library for a format is not installed."""
    if media == "csv":
        return _csv(rows, dialect)
    writers: Mapping[str, Callable[[str, Rows], Iterator[bytes]]] = {
        "json": _json,
        "jsonl": _jsonl,
        "xml": _xml,
        "xlsx": _xlsx,
        "parquet": _parquet,
    }
    pieces = writers[media](name, rows)
    if media == "parquet":
        return chain([next(pieces)], pieces)  # what is missing is answered before the answer begins
    return pieces


def _csv(rows: Rows, dialect: CsvDialect) -> Iterator[bytes]:
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n", delimiter=dialect.separator)
    columns = columns_of(rows.model)
    if dialect.heading:
        writer.writerow(columns)
    safe = plain_csv_value if dialect.formulas else csv_value
    lines = rows.plain if rows.plain is not None else (values_of(row, columns) for row in rows.models)
    for values in lines:
        writer.writerow(map(safe, values))
        if buffer.tell() > CHUNK:
            yield _drain(buffer)
    yield _drain(buffer)


def _lines(rows: Rows) -> Iterator[bytes]:
    """Each row as JSON."""
    if rows.plain is None:
        yield from (row.model_dump_json().encode() for row in rows.models)
        return
    names = list(rows.model.model_fields)
    yield from (to_json(dict(zip(names, row, strict=True))) for row in rows.plain)


def _gathered(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """As few pieces as are worth a write each."""
    waiting: list[bytes] = []
    size = 0
    for piece in pieces:
        waiting.append(piece)
        size += len(piece)
        if size > CHUNK:
            yield b"".join(waiting)
            waiting, size = [], 0
    yield b"".join(waiting)


def _json(name: str, rows: Rows) -> Iterator[bytes]:
    lines = ((b",\n" if number else b"[\n") + line for number, line in enumerate(_lines(rows)))
    first = next(lines, b"[")
    return _gathered(chain([first], lines, [b"\n]\n"]))


def _jsonl(name: str, rows: Rows) -> Iterator[bytes]:
    return _gathered(line + b"\n" for line in _lines(rows))


def _xml(name: str, rows: Rows) -> Iterator[bytes]:
    head = f'<?xml version="1.0" encoding="UTF-8"?>\n<{name}>\n'.encode()
    lines = (f"  {_element('row', row.model_dump(mode='json'))}\n".encode() for row in rows.as_models())
    return _gathered(chain([head], lines, [f"</{name}>\n".encode()]))


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
    return f"<{tag}>{escape(str(value).translate(CONTROL))}</{tag}>"


def _xlsx(name: str, rows: Rows) -> Iterator[bytes]:
    from kiteroll.api.exports.sheets import xlsx  # its library is large, and seldom needed

    return xlsx(name, rows)


def _parquet(name: str, rows: Rows) -> Iterator[bytes]:
    try:
        import pyarrow
        from pyarrow import parquet
    except ImportError as missing:
        raise Invalid("Parquet needs pyarrow on the service: pip install 'kiteroll[parquet]'") from missing
    kinds = {
        bool: pyarrow.bool_(),
        int: pyarrow.int64(),
        float: pyarrow.float64(),
        datetime: pyarrow.timestamp("us", tz="UTC"),
        str: pyarrow.string(),
    }
    types = types_of(rows.model)
    schema = pyarrow.schema([(column, kinds[types[column]]) for column in columns_of(rows.model)])
    lines = (
        [_typed(value, types[column]) for column, value in zip(schema.names, values, strict=True)]
        for values in (values_of(row, schema.names) for row in rows.as_models())
    )
    with tempfile.TemporaryFile() as file:
        with parquet.ParquetWriter(file, schema, compression="zstd") as writer:
            while group := list(islice(lines, _GROUP)):
                arrays = [
                    pyarrow.array(values, one.type)
                    for values, one in zip(zip(*group, strict=True), schema, strict=True)
                ]
                writer.write_table(pyarrow.Table.from_arrays(arrays, schema=schema))
        yield from from_start(file)


def _typed(value: Any, kind: type) -> Any:
    return str(value) if kind is str and value is not None and type(value) is not str else value


def _drain(buffer: io.StringIO) -> bytes:
    text = buffer.getvalue()
    buffer.seek(0)
    buffer.truncate()
    return text.encode()
