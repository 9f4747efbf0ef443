"""Many values, some at a time."""

from collections.abc import Iterable, Iterator
from itertools import islice
from typing import TypeVar

T = TypeVar("T")


def chunks(values: Iterable[T], most: int) -> Iterator[list[T]]:
    """In their order, `most` at a time; the last ones may be fewer."""
    source = iter(values)
    while part := list(islice(source, most)):
        yield part
