"""Criteria over many numbers at once."""

from collections.abc import Collection

from sqlalchemy import ColumnElement, bindparam


def none_of(column: ColumnElement[int], ids: Collection[int]) -> ColumnElement[bool]:
    """Whether `column` is none of these. Thousands of numbers stand in the statement as they are: as
    parameters, each would be quoted by itself."""
    return column.not_in(bindparam(None, sorted(ids), expanding=True, literal_execute=True))
