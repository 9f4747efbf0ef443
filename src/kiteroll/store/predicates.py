"""Conditions that several queries share."""

from collections.abc import Collection
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, and_, bindparam, or_


def none_of(column: ColumnElement[int], ids: Collection[int]) -> ColumnElement[bool]:
    """Whether `column` is none of these. Thousands of numbers stand in the statement as they are: as
    parameters, each would be quoted by itself."""
    return ~one_of(column, ids)


def one_of(column: ColumnElement[int], ids: Collection[int]) -> ColumnElement[bool]:
    """Whether `column` is one of these, which stand in the statement as they are."""
    return column.in_(bindparam(None, sorted(ids), expanding=True, literal_execute=True))


def given(column: ColumnElement[Any], name: str) -> ColumnElement[bool]:
    """Whether `column` is one of the values that are given as `name` when the statement is executed: it can
    be made once then, and not anew at every keystroke of a search."""
    return column.in_(bindparam(name, type_=column.type, expanding=True))


def held(
    began: ColumnElement[datetime], ended: ColumnElement[datetime], at: datetime | None
) -> ColumnElement[bool]:
    """Whether an interval covers the instant; whether it is still open, without one."""
    return ended.is_(None) if at is None else covers(began, ended, at)


def covers(
    began: ColumnElement[datetime], ended: ColumnElement[datetime], at: datetime
) -> ColumnElement[bool]:
    """Whether the half-open interval [began, ended), open where it has no end, covers the instant."""
    return and_(began <= at, or_(ended.is_(None), ended > at))


def escape_like(text: str) -> str:
    """`text` so that it stands for itself in a LIKE pattern."""
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
