"""Names that somebody may have meant who mistyped one."""

from collections.abc import Iterable
from difflib import get_close_matches
from typing import Protocol, TypeVar

from kiteroll.core.errors import NotFound

_MOST = 3
_ALIKE = 0.7


class Named(Protocol):
    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=Named)


def nearest(name: str, known: Iterable[str]) -> list[str]:
    """At most three of the known names that are much alike, the most alike first; case does not count."""
    folded: dict[str, str] = {}
    for one in known:
        folded.setdefault(one.casefold(), one)
    return [folded[one] for one in get_close_matches(name.casefold(), folded, _MOST, _ALIKE)]


def did_you_mean(name: str, known: Iterable[str], hint: str) -> str:
    """The hint of an error about a name that is not known, with those that may have been meant."""
    found = nearest(name, known)
    return f"did you mean {' or '.join(found)}? {hint}" if found else hint


def ports_hint(switch: str) -> str:
    """The hint of an error about a port that this switch does not have."""
    return f"`kiteroll port list {switch}` shows the ports of {switch}"


def no_such(kind: str, name: str, known: Iterable[str]) -> NotFound:
    """The error about a name that is not there. `kind`: as the command line calls it, which lists them."""
    command = kind.replace(" ", "-")
    return NotFound(kind, name, did_you_mean(name, known, f"`kiteroll {command} list` shows those there are"))


def the_named(rows: Iterable[T], name: str, kind: str) -> T:
    """Raises NotFound, with names that are nearly the same. `kind`: as the command line calls it."""
    by_name = {row.name: row for row in rows}
    if name not in by_name:
        raise no_such(kind, name, by_name)
    return by_name[name]
