"""Which page of a list is asked for, and the cursors that lead from one to the next."""

import base64
import binascii
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from kiteroll.core.errors import Invalid

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class PageAsk:
    cursor: str | None = None
    """`next` of the page before; None: the first."""
    limit: int = 100
    """Rows at most."""
    sort: str | None = None
    """A field, with - before it for descending; None: the list's own order."""

    @property
    def field(self) -> str:
        return (self.sort or "").removeprefix("-")

    @property
    def descending(self) -> bool:
        return (self.sort or "").startswith("-")


def encode_cursor(values: Sequence[Any]) -> str:
    """`values`: what JSON can hold."""
    text = json.dumps(values, separators=(",", ":"))
    return base64.urlsafe_b64encode(text.encode()).decode().rstrip("=")


def decode_cursor(cursor: str, understood: Callable[[list[Any]], T]) -> T:
    """What `understood` makes of the values; it raises ValueError, KeyError or TypeError for those of another
    list. Raises Invalid for a cursor that the list did not give."""
    try:
        values = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
        if not isinstance(values, list):
            raise TypeError("another list's cursor")
        return understood(values)
    except (binascii.Error, ValueError, KeyError, TypeError, RecursionError) as wrong:
        raise Invalid(
            "the cursor is not one that this list gave: take `next` of the page before, or begin without"
        ) from wrong
