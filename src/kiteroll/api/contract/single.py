"""One of a short list, by its name."""

from collections.abc import Callable, Iterable
from typing import TypeVar

from kiteroll.core.errors import NotFound
from kiteroll.core.model.nearest import did_you_mean

T = TypeVar("T")


def _name(row: object) -> str:
    return str(getattr(row, "name"))  # noqa: B009  # rows of any kind that have a name


def one_of(rows: Iterable[T], name: str, kind: str, listed_by: str, name_of: Callable[[T], str] = _name) -> T:
    """Raises NotFound, with names that are nearly the same."""
    by_name = {name_of(row): row for row in rows}
    if name not in by_name:
        raise NotFound(kind, name, did_you_mean(name, by_name, f"`{listed_by}` shows those there are"))
    return by_name[name]
