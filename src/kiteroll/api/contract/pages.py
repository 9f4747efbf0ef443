"""Pages of lists that are short enough to be made whole for each call, and what all lists are asked by."""

from collections.abc import Callable, Iterable, Sequence
from itertools import groupby
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Query

from kiteroll.api.parameters import Cursor, Limit
from kiteroll.core.errors import InvalidParts
from kiteroll.core.model.natural_order import natural_key
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.core.model.paging import PageAsk, decode_cursor, encode_cursor
from kiteroll.schemas.base import PageOf, ResponseModel

__all__ = ["PageAsk", "by", "page", "page_by_group", "presented_page"]

M = TypeVar("M", bound=ResponseModel)
R = TypeVar("R")


def by(*fields: str) -> Any:
    """What a list takes to be asked for a page; `fields` are those it can be sorted by, if any."""
    if not fields:
        return Depends(_in_its_order)
    allowed = [name for one in fields for name in (one, f"-{one}")]
    about = "a field, with - before it for descending; the order of the list unless given"

    def asked(
        cursor: Cursor = None,
        limit: Limit = 100,
        sort: Annotated[str | None, Query(description=about, json_schema_extra={"enum": allowed})] = None,
    ) -> PageAsk:
        if sort is not None and sort not in allowed:
            hint = did_you_mean(sort.removeprefix("-"), fields, f"this list is sorted by {', '.join(fields)}")
            raise InvalidParts("unknown order", [("query.sort", hint)])
        return PageAsk(cursor, limit, sort)

    return Depends(asked)


def _in_its_order(cursor: Cursor = None, limit: Limit = 100) -> PageAsk:
    return PageAsk(cursor, limit)


def page(rows: Sequence[M], ask: PageAsk, *key: str) -> PageOf[M]:
    """One page of all `rows`. `key`: fields that tell rows apart; the next page begins behind the last row of
    this one by them, however many come meanwhile. Rows without a value come last. Raises Invalid."""
    ordered = _sorted(rows, ask) if ask.sort else rows
    return _cut(ordered, ask, lambda row: _name(row, key), lambda row: row, len(key))


def presented_page(
    rows: Sequence[R], ask: PageAsk, present: Callable[[R], M], *key: str, name: Callable[[R], list[str]]
) -> PageOf[M]:
    """The same of rows that take long to present: those of the page alone are, unless it is to be sorted.
    `key`: the fields that tell them apart; `name` gives those of a row."""
    if ask.sort:
        return page([present(row) for row in rows], ask, *key)
    return _cut(rows, ask, name, present, len(key))


def _cut(
    rows: Sequence[R], ask: PageAsk, name: Callable[[R], list[str]], present: Callable[[R], M], parts: int
) -> PageOf[M]:
    """`name` tells rows apart by so many `parts`."""
    first = 0 if ask.cursor is None else _behind(rows, ask, name, parts)
    some = rows[first : first + ask.limit]
    more = len(rows) > first + ask.limit
    cursor = _encode(ask, first + ask.limit - 1, name(some[-1])) if more else None
    return PageOf(items=[present(row) for row in some], next=cursor)


def page_by_group(
    rows: Callable[[str | None], Iterable[M]], ask: PageAsk, group: str, *key: str
) -> PageOf[M]:
    """The same of a list that takes long to make: no more of it is made than the page needs, unless it is
    to be sorted. `rows` makes them one after the other, group by group in the order of their names, from the
    group on that is given. `key` tells rows of a group apart."""
    if ask.sort:
        return page(list(rows(None)), ask, group, *key)
    at, last = (-1, [""]) if ask.cursor is None else _place(ask, 1 + len(key))
    groups = groupby(rows(last[0] or None), lambda row: _name(row, [group])[0])
    shown: list[tuple[int, M]] = []
    for name, members in groups:
        numbered = list(enumerate(members))
        if name == last[0]:
            names = [_name(row, (group, *key)) for _, row in numbered]
            numbered = numbered[names.index(last) + 1 if last in names else at + 1 :]
        shown += numbered
        if len(shown) > ask.limit:
            number, row = shown[ask.limit - 1]
            cursor = _encode(ask, number, _name(row, (group, *key)))
            return PageOf(items=[row for _, row in shown[: ask.limit]], next=cursor)
    return PageOf(items=[row for _, row in shown], next=None)


def _sorted(rows: Sequence[M], ask: PageAsk) -> list[M]:
    valued = [(row, value) for row in rows if (value := _value(row, ask.field)) not in (None, "")]
    valued.sort(key=lambda one: natural_key(_folded(one[1])), reverse=ask.descending)
    return [row for row, _ in valued] + [row for row in rows if _value(row, ask.field) in (None, "")]


def _folded(value: Any) -> Any:
    return value.casefold() if isinstance(value, str) else value


def _value(row: ResponseModel, name: str) -> Any:
    value: Any = row
    for part in name.split("."):
        value = None if value is None else getattr(value, part)
    return value


def _name(row: ResponseModel, key: Sequence[str]) -> list[str]:
    return [str(_value(row, one)) for one in key]


def _encode(ask: PageAsk, at: int, name: Sequence[str]) -> str:
    return encode_cursor([ask.sort or "", at, *name])


def _behind(rows: Sequence[R], ask: PageAsk, name: Callable[[R], list[str]], parts: int) -> int:
    at, last = _place(ask, parts)
    for number, row in enumerate(rows):
        if name(row) == last:
            return number + 1
    return at  # it is gone: what followed it has moved up to its place


def _place(ask: PageAsk, parts: int) -> tuple[int, list[str]]:
    """Where the last row of the page before was, and its name. Raises Invalid."""

    def understood(values: list[Any]) -> tuple[int, list[str]]:
        sort, at, *name = values
        known = sort == (ask.sort or "") and type(at) is int and at >= 0 and len(name) == parts
        if not known or not all(isinstance(one, str) for one in name):
            raise ValueError("another list's cursor")
        return at, name

    return decode_cursor(ask.cursor or "", understood)
