"""Bulk statements of bounded size."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, TypeVar

from sqlalchemy import Connection

T = TypeVar("T")
_CHUNK = 1000
"""Rows or ids a statement: keeps any statement under a megabyte."""


def insert_all(connection: Connection, statement: Any, rows: Sequence[Mapping[str, Any]]) -> None:
    for part in chunks(rows):
        connection.execute(statement, part)


def chunks(values: Sequence[T], most: int = _CHUNK) -> Iterator[list[T]]:
    source = iter(values)
    while part := list(islice(source, most)):
        yield part
