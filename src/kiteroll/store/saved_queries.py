"""Queries that people keep, their own and those they share."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, insert, or_, select, update
from sqlalchemy.exc import IntegrityError

from kiteroll.core.errors import Conflict, NotFound
from kiteroll.store.tables import saved_query

MOST = 500
"""Of one owner."""


@dataclass(frozen=True, slots=True)
class SavedQueryRow:
    id: int
    owner: str
    name: str
    path: str
    shared: bool
    saved_at: datetime


def queries_for(connection: Connection, account: str) -> list[SavedQueryRow]:
    """One's own and those that others share, by name."""
    table = saved_query
    query = (
        select(table).where(or_(table.c.owner == account, table.c.shared)).order_by(table.c.name, table.c.id)
    )
    return [_row(row) for row in connection.execute(query)]


def get_query(connection: Connection, number: int, account: str) -> SavedQueryRow:
    """Raises NotFound, also for one that somebody else keeps alone."""
    row = connection.execute(select(saved_query).where(saved_query.c.id == number)).one_or_none()
    if row is None or not (row.shared or row.owner == account):
        raise NotFound("saved query", str(number), "`kiteroll query list` shows those there are")
    return _row(row)


def add_query(
    connection: Connection, account: str, name: str, path: str, shared: bool, now: datetime
) -> SavedQueryRow:
    """Raises Conflict when one's own has that name, or when there are too many."""
    if len([one for one in queries_for(connection, account) if one.owner == account]) >= MOST:
        raise Conflict(f"{account} keeps {MOST} queries already: remove some first")
    values = {"owner": account, "name": name, "path": path, "shared": shared, "saved_at": now}
    try:
        done = connection.execute(insert(saved_query).values(values))
    except IntegrityError as taken:
        raise Conflict(
            f"there is a saved query {name!r} already: change it, or choose another name"
        ) from taken
    return get_query(connection, int((done.inserted_primary_key or (0,))[0]), account)


def change_query(
    connection: Connection, number: int, account: str, name: str, path: str, shared: bool
) -> SavedQueryRow:
    """Raises NotFound; Conflict when it is somebody else's, or one's own has that name."""
    _check_own(connection, number, account)
    values = {"name": name, "path": path, "shared": shared}
    try:
        connection.execute(update(saved_query).where(saved_query.c.id == number).values(values))
    except IntegrityError as taken:
        raise Conflict(f"there is a saved query {name!r} already: choose another name") from taken
    return get_query(connection, number, account)


def remove_query(connection: Connection, number: int, account: str) -> None:
    """Raises NotFound; Conflict when it is somebody else's."""
    _check_own(connection, number, account)
    connection.execute(delete(saved_query).where(saved_query.c.id == number))


def _check_own(connection: Connection, number: int, account: str) -> None:
    row = get_query(connection, number, account)
    if row.owner != account:
        raise Conflict(f"the saved query {row.name!r} is {row.owner}'s: only its owner changes it")


def _row(row: object) -> SavedQueryRow:
    return SavedQueryRow(*(getattr(row, name) for name in SavedQueryRow.__dataclass_fields__))
