"""Rows by the hundred thousand, against a real database: what was written is what is read."""

from datetime import UTC, datetime

import pytest
from sqlalchemy import Column, Connection, Integer, MetaData, String, Table, select
from sqlalchemy.exc import IntegrityError

from kiteroll.core.model.mac import MacAddress
from kiteroll.store.bulk import insert_rows
from kiteroll.store.database import Database
from kiteroll.store.types import Instant, Mac

LAMP = MacAddress(0x021A05000001)
NOON = datetime(2026, 5, 4, 12, 0, 0, 250, tzinfo=UTC)
SHELF = Table(
    "shelf",
    MetaData(),
    Column("id", Integer, primary_key=True, autoincrement=False),
    Column("mac", Mac),
    Column("at", Instant),
    Column("word", String(40)),
)
Row = tuple[int, MacAddress | None, datetime | None, str | None]
COLUMNS = ("id", "mac", "at", "word")


def _write(connection: Connection, rows: list[Row]) -> None:
    insert_rows(connection, SHELF, COLUMNS, rows)


def test_values_come_back_as_they_were(database: Database) -> None:
    words = (
        "",
        "it's",
        'a "quay"',
        "back\\slash",
        "100 %",
        "%s",
        "50 %%",
        ":at",
        "\u00e5",
        "two\nlines",
        None,
    )
    rows: list[Row] = [(number, LAMP, NOON, word) for number, word in enumerate(words)]
    rows += [(number, None, None, None) for number in range(100, 2600)]  # more than one statement
    SHELF.create(database.engine)
    try:
        database.run(_write, rows)
        found = database.run(lambda connection: connection.execute(select(SHELF).order_by(SHELF.c.id)).all())
        assert [tuple(row) for row in found] == rows
        with pytest.raises(IntegrityError):
            database.run(_write, rows[:1])
        database.run(
            lambda connection: insert_rows(
                connection, SHELF, ("id", "word"), [(0, "other"), (3000, "new")], unless_known=True
            )
        )
        kept = database.run(
            lambda connection: connection.execute(select(SHELF).where(SHELF.c.id.in_((0, 3000)))).all()
        )
        assert [(row.id, row.word) for row in kept] == [(0, ""), (3000, "new")]
    finally:
        SHELF.drop(database.engine)


def test_a_column_that_is_not_there_is_an_error_before_anything_is_sent(database: Database) -> None:
    with pytest.raises(KeyError):
        database.run(lambda connection: insert_rows(connection, SHELF, ("colour",), [(1,)]))
