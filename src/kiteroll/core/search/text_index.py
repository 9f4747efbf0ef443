"""Finding texts by any part of them, fast enough to follow the typing: aliases of ports, host names."""

import unicodedata
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from itertools import accumulate, chain, islice
from typing import Generic, TypeVar

K = TypeVar("K")


class TextIndex(Generic[K]):
    """Texts and what each belongs to, as one long text that a search goes through once or twice: some
    milliseconds for a hundred thousand names, where a database takes ten times that. Case and accents are no
    matter."""

    def __init__(self, words: Iterable[tuple[str, K]], few: int = 1000) -> None:
        """`few`: beyond so many places, those at which a text begins are looked for by themselves."""
        self._few = few
        pairs = list(words)
        lines = [_plain(word).replace("\n", " ") for word, _ in pairs]
        self._keys = [key for _, key in pairs]
        self._text = "\n" + "".join(f"{line}\n" for line in lines)
        self._starts = list(accumulate((len(line) + 1 for line in lines), initial=1))

    def __len__(self) -> int:
        return len(self._keys)

    def find(self, part: str, limit: int) -> list[K]:
        """At most `limit` whose text holds `part`, those that begin with it first; each text once."""
        wanted = _plain(part)
        if not wanted or "\n" in wanted:
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


def _plain(text: str) -> str:
    """Without case and accents."""
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFD", text.casefold())
    return "".join(sign for sign in apart if not unicodedata.combining(sign))
