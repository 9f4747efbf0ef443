"""Pages by cursor: the next page begins behind the last row seen, however many rows come meanwhile."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from types import MappingProxyType
from typing import Any, Generic, TypeVar

from sqlalchemy import ColumnElement, Connection, Integer, Row, Select, and_, or_

from kiteroll.core.model.bounds import YEARS
from kiteroll.core.model.paging import PageAsk, decode_cursor, encode_cursor
from kiteroll.store.types import Instant, Mac

T = TypeVar("T")
_LONGEST = 1000
_KEY = "_key_{}"


@dataclass(frozen=True, slots=True)
class Key:
    """One column of the order; together the keys of a list must tell all its rows apart."""

    column: ColumnElement[Any]
    descending: bool = False

    @property
    def ordered(self) -> ColumnElement[Any]:
        return self.column.desc() if self.descending else self.column


NO_SORTS: Mapping[str, Sequence[Key]] = MappingProxyType({})


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
    ask: PageAsk,
    sorts: Mapping[str, Sequence[Key]] = NO_SORTS,
) -> Page[T]:
    """One page of `query`, made into values by `make`, in the order of `keys`, or of those that `sorts` has
    for the field that is asked for. Key columns may not be null. Raises Invalid for a cursor that no page of
    this list gave."""
    cursor, limit = ask.cursor, ask.limit
    if ask.sort is not None:
        keys = sorts[ask.field]
        if ask.descending:
            keys = [replace(key, descending=not key.descending) for key in keys]
    labelled = [key.column.label(_KEY.format(at)) for at, key in enumerate(keys)]
    query = query.add_columns(*labelled)
    if cursor is not None:
        query = query.where(_behind(keys, _decode(cursor, keys)))
    query = query.order_by(*(key.ordered for key in keys))
    rows = connection.execute(query.limit(limit + 1)).all()
    items = tuple(make(row) for row in rows[:limit])
    if len(rows) <= limit or not items:
        return Page(items, None)
    return Page(items, _encode([getattr(rows[limit - 1], _KEY.format(at)) for at in range(len(keys))]))


def cursor_of(row: Row[Any], keys: int) -> str:
    """The cursor of what follows one row, for `make` of a list whose pages may end before they are full."""
    return _encode([getattr(row, _KEY.format(at)) for at in range(keys)])


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
    return encode_cursor(
        [{"t": value.isoformat()} if isinstance(value, datetime) else value for value in values]
    )


def _decode(cursor: str, keys: Sequence[Key]) -> list[Any]:
    """Raises Invalid."""
    return decode_cursor(
        cursor, lambda values: [_key_value(key, value) for key, value in zip(keys, values, strict=True)]
    )


def _key_value(key: Key, value: Any) -> Any:
    """The value of one key, of its column's type. Raises ValueError, KeyError or TypeError."""
    kind = key.column.type
    if isinstance(kind, Instant):
        at = datetime.fromisoformat(value["t"])
        if at.tzinfo is None or at.year not in YEARS:
            raise ValueError(at)
        return at
    if isinstance(kind, Mac | Integer):
        if type(value) is not int or not 0 <= value < 2**63:
            raise ValueError(value)
    elif not isinstance(value, str) or len(value) > _LONGEST:
        raise ValueError(value)
    return value
