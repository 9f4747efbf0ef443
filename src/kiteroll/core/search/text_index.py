"""Finding texts by any part of them, fast enough to follow the typing: aliases of ports, host names."""

import unicodedata
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from itertools import accumulate, chain, islice
from typing import Generic, TypeVar

K = TypeVar("K")
_AT_ONCE = 20_000


class TextIndex(Generic[K]):
    """Texts and what each belongs to, as one long text that a search goes through once or twice: some
    milliseconds for a hundred thousand names, where a database takes ten times that. Case and accents are no
    matter."""

    def __init__(
        self, words: Iterable[tuple[str, K]], few: int = 1000, before: "TextIndex[K] | None" = None
    ) -> None:
        """`few`: beyond so many places, those at which a text begins are looked for by themselves.
        `before`: what is in that index comes first."""
        self._few = few
        pairs = list(words)
        lines = [_plain(word).replace("\n", " ") for word, _ in pairs]
        text = "".join(f"{line}\n" for line in lines)
        self._text, self._starts = "\n", [1]
        self._keys: list[K] = []
        self._threes: set[tuple[str, str, str]] = set()
        """Every three signs in a row, within a text: what holds others is looked for nowhere."""
        if before is not None:
            self._text, self._starts = before._text, before._starts.copy()
            self._keys, self._threes = before._keys.copy(), before._threes.copy()
        end = self._starts.pop()
        self._starts += accumulate((len(line) + 1 for line in lines), initial=end)
        self._text += text
        self._keys += (key for _, key in pairs)
        self._threes.update(_threes(text))

    def __len__(self) -> int:
        return len(self._keys)

    def find(self, part: str, limit: int) -> list[K]:
        """At most `limit` whose text holds `part`, those that begin with it first; each text once."""
        wanted = _plain(part)
        if not limit or not wanted or "\n" in wanted:
            return []
        places = list(islice(self._each(wanted), self._few))
        if len(places) < self._few:  # one pass has found them all
            begins = [at for at in places if self._text[at - 1] == "\n"]
            return self._some(map(self._line, chain(begins, places)), limit)
        beginning = (at + 1 for at in self._each("\n" + wanted))
        numbers = chain(map(self._line, beginning), map(self._line, self._each(wanted)))
        return self._some(numbers, limit)

    def find_exact(self, text: str, limit: int) -> list[K]:
        """At most `limit` whose text is this."""
        if "\n" in text:
            return []
        found = self._each(f"\n{_plain(text)}\n")
        return self._some((self._line(at + 1) for at in found), limit)

    def _each(self, needle: str) -> Iterator[int]:
        if not self._threes.issuperset(_threes(needle)):
            return
        at = self._text.find(needle)
        while at >= 0:
            yield at
            at = self._text.find(needle, at + max(1, len(needle) - 1))

    def _line(self, at: int) -> int:
        return bisect_right(self._starts, at) - 1

    def _some(self, numbers: Iterable[int], limit: int) -> list[K]:
        found: dict[int, None] = {}
        for number in numbers:
            if len(found) >= limit:
                break
            found.setdefault(number)
        return [self._keys[number] for number in found]


def _threes(text: str) -> Iterator[tuple[str, str, str]]:
    """Within its lines; some at a time, for others are to have their turn meanwhile."""
    for first in range(0, len(text), _AT_ONCE):
        part = text[first : first + _AT_ONCE + 2]
        yield from {three for three in zip(part, part[1:], part[2:], strict=False) if "\n" not in three}


def _plain(text: str) -> str:
    """Without case and accents."""
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFD", text.casefold())
    return "".join(sign for sign in apart if not unicodedata.combining(sign))
