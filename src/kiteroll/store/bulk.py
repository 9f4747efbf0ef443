"""Bulk statements of bounded size."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import lru_cache, partial
from typing import Any, TypeVar

from sqlalchemy import Connection, Dialect, String, Table, literal
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.types import TypeEngine

from kiteroll.core.model import chunks as core_chunks
from kiteroll.store.types import Instant

T = TypeVar("T")
Value = int | str | datetime | None
_CHUNK = 1000
"""Rows or ids a statement: keeps any statement under a megabyte."""


def insert_all(connection: Connection, statement: Any, rows: Sequence[Mapping[str, Any]]) -> None:
    for part in chunks(rows):
        connection.execute(statement, part)


def save_rows(connection: Connection, into: Table, rows: Sequence[Mapping[str, Any]]) -> None:
    """Those that have an `id` are written over the row it is of; the others are new, and get one.

    Were they all inserted, and updated where they are there already, each update would use up a number: those
    of findings, which change every few seconds, would run out within years.
    """
    known = [row for row in rows if "id" in row]
    if known:
        statement = insert(into)
        over = {name: statement.inserted[name] for name in known[0] if name != "id"}
        insert_all(connection, statement.on_duplicate_key_update(over), known)
    insert_all(connection, insert(into), [row for row in rows if "id" not in row])


def insert_rows(
    connection: Connection,
    into: Table,
    columns: Sequence[str],
    rows: Iterable[Sequence[Value]],
    *,
    unless_known: bool = False,
) -> None:
    """Insert rows by the hundred thousand. Their values stand in the statement as they are: numbers as such,
    the few instants and words that repeat in all rows rendered once. As parameters each value of each row
    would be converted and quoted by itself, at many times the CPU.

    `unless_known`: rows whose key exists already are left as they are.
    """
    verb = "INSERT IGNORE" if unless_known else "INSERT"
    # By way of the table, so that a column it does not have is an error here.
    begin = f"{verb} INTO {into.name} ({', '.join(into.c[name].name for name in columns)}) VALUES "
    text = partial(_text, connection.dialect)
    for part in chunks(rows):
        values = ",".join(f"({','.join(map(text, row))})" for row in part)
        connection.exec_driver_sql(begin + values, execution_options={"no_parameters": True})


def _text(dialect: Dialect, value: Value) -> str:
    if isinstance(value, int):
        return int.__repr__(value)
    return "NULL" if value is None else _rendered(dialect, value)


@lru_cache(1024)
def _rendered(dialect: Dialect, value: str | datetime) -> str:
    """As the dialect writes it, quoted and escaped."""
    kind: TypeEngine[Any] = Instant() if isinstance(value, datetime) else String()
    written = literal(value, kind).compile(dialect=dialect, compile_kwargs={"literal_binds": True})
    # The compiler doubles these for the driver's parameters, of which there are none.
    return str(written).replace("%%", "%")


def chunks(values: Iterable[T], most: int = _CHUNK) -> Iterator[list[T]]:
    return core_chunks.chunks(values, most)
