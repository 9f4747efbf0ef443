"""Pages of lists that are short enough to be made whole for each call, and what all lists are asked by."""

import base64
import binascii
import json
from collections.abc import Sequence
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Query

from kiteroll.api.parameters import Cursor, Limit
from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.model.natural_order import natural_key
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.core.model.paging import PageAsk
from kiteroll.schemas.base import PageOf, ResponseModel

__all__ = ["PageAsk", "by", "page"]

M = TypeVar("M", bound=ResponseModel)


def by(*fields: str, usual: str = "") -> Any:
    """What a list takes to be asked for a page; `fields` are those it can be sorted by, if any. `usual`: the
    order when none is given; the list's own unless said."""
    if not fields:
        return Depends(_in_its_order)
    allowed = [name for one in fields for name in (one, f"-{one}")]
    said = f"a field, with - before it for descending; {usual or 'the order of the list'} unless given"

    def ask(
        cursor: Cursor = None,
        limit: Limit = 100,
        sort: Annotated[str | None, Query(description=said, json_schema_extra={"enum": allowed})] = None,
    ) -> PageAsk:
        if sort is not None and sort not in allowed:
            hint = did_you_mean(sort.removeprefix("-"), fields, f"this list is sorted by {', '.join(fields)}")
            raise InvalidParts("unknown order", [("query.sort", hint)])
        return PageAsk(cursor, limit, sort or usual or None)

    return Depends(ask)


def _in_its_order(cursor: Cursor = None, limit: Limit = 100) -> PageAsk:
    return PageAsk(cursor, limit)


def page(rows: Sequence[M], ask: PageAsk, *key: str) -> PageOf[M]:
    """One page of all `rows`. `key`: fields that tell rows apart; the next page begins behind the last row of
    this one by them, however many come meanwhile. Rows without a value come last. Raises Invalid."""
    ordered = _sorted(rows, ask) if ask.sort else list(rows)
    first = 0 if ask.cursor is None else _behind(ordered, ask, key)
    shown = ordered[first : first + ask.limit]
    more = len(ordered) > first + ask.limit
    return PageOf(items=shown, next=_encode(ask, first + ask.limit - 1, shown[-1], key) if more else None)


def _sorted(rows: Sequence[M], ask: PageAsk) -> list[M]:
    valued = [(row, value) for row in rows if (value := _value(row, ask.field)) not in (None, "")]
    valued.sort(key=lambda one: natural_key(one[1]), reverse=ask.descending)
    return [row for row, _ in valued] + [row for row in rows if _value(row, ask.field) in (None, "")]


def _value(row: ResponseModel, name: str) -> Any:
    value: Any = row
    for part in name.split("."):
        value = None if value is None else getattr(value, part)
    return value


def _name(row: ResponseModel, key: Sequence[str]) -> list[str]:
    return [str(_value(row, one)) for one in key]


def _encode(ask: PageAsk, at: int, row: ResponseModel, key: Sequence[str]) -> str:
    text = json.dumps([ask.sort or "", at, *_name(row, key)], separators=(",", ":"))
    return base64.urlsafe_b64encode(text.encode()).decode().rstrip("=")


def _behind(ordered: Sequence[ResponseModel], ask: PageAsk, key: Sequence[str]) -> int:
    cursor = ask.cursor or ""
    try:
        sort, at, *name = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
        if sort != (ask.sort or "") or type(at) is not int or at < 0 or len(name) != len(key):
            raise ValueError("another list's cursor")
    except (binascii.Error, ValueError, TypeError, RecursionError) as wrong:
        raise Invalid(
            "the cursor is not one that this list gave: take `next` of the page before, or begin without"
        ) from wrong
    for number, row in enumerate(ordered):
        if _name(row, key) == name:
            return number + 1
    return at  # it is gone: what followed it has moved up to its place
