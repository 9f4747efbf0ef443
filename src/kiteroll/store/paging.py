"""Pages by cursor: the next page begins behind the last row seen, however many rows come meanwhile."""

import base64
import binascii
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar

from sqlalchemy import ColumnElement, Connection, Row, Select, and_, or_

from kiteroll.core.errors import Invalid

T = TypeVar("T")
_KEY = "_key_{}"


@dataclass(frozen=True, slots=True)
class Key:
    """One column of the order; together the keys of a list must tell all its rows apart."""

    column: ColumnElement[Any]
    descending: bool = False


@dataclass(frozen=True, slots=True)
class Page(Generic[T]):
    items: tuple[T, ...]
    next: str | None
    """Cursor of the next page; None on the last."""


def fetch_page(
    connection: Connection,
    query: Select[Any],
    keys: Sequence[Key],
    make: Callable[[Row[Any]], T],
    *,
    cursor: str | None,
    limit: int,
) -> Page[T]:
    """At most `limit` rows of `query` behind `cursor`, made into values by `make`. Key columns may
    not be null. Raises Invalid for a cursor that no page of this list gave."""
    labelled = [key.column.label(_KEY.format(at)) for at, key in enumerate(keys)]
    query = query.add_columns(*labelled)
    if cursor is not None:
        query = query.where(_behind(keys, _decode(cursor, len(keys))))
    query = query.order_by(*(key.column.desc() if key.descending else key.column for key in keys))
    rows = connection.execute(query.limit(limit + 1)).all()
    items = tuple(make(row) for row in rows[:limit])
    if len(rows) <= limit or not items:
        return Page(items, None)
    return Page(items, _encode([getattr(rows[limit - 1], _KEY.format(at)) for at in range(len(keys))]))


def _behind(keys: Sequence[Key], values: Sequence[Any]) -> ColumnElement[bool]:
    """Rows after `values` in the order. The leading bound is repeated on its own, for MariaDB ranges
    over an index only by conditions that stand at the top."""
    cases = []
    for at, key in enumerate(keys):
        same = [keys[before].column == values[before] for before in range(at)]
        beyond = key.column < values[at] if key.descending else key.column > values[at]
        cases.append(and_(*same, beyond))
    first = keys[0]
    bound = first.column <= values[0] if first.descending else first.column >= values[0]
    return and_(bound, or_(*cases))


def _encode(values: Sequence[Any]) -> str:
    plain = [{"t": value.isoformat()} if isinstance(value, datetime) else value for value in values]
    text = json.dumps(plain, separators=(",", ":"))
    return base64.urlsafe_b64encode(text.encode()).decode().rstrip("=")


def _decode(cursor: str, count: int) -> list[Any]:
    try:
        values = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
        if not isinstance(values, list) or len(values) != count:
            raise ValueError("another list's cursor")
        return [datetime.fromisoformat(value["t"]) if isinstance(value, dict) else value for value in values]
    except (binascii.Error, ValueError, KeyError, TypeError) as wrong:
        raise Invalid(
            "the cursor is not one that this list gave: take `next` of the page before, or begin without"
        ) from wrong
