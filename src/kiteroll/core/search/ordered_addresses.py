"""Many addresses in order, and which of them hold some digits."""

from array import array
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from itertools import accumulate, islice

from kiteroll.core.model.mac import MacAddress

WIDTH = 12
STRIDE = WIDTH + 1
_PREFIX = 6
_KEY = 3
_PLACES = (4, 6, 8)
"""Where the digits stand by which addresses are listed. Four digits in a row that do not all lie in the first
six hold those at one of these."""
_LONG = 20_000
"""Lines of lists; a pass through the text of half a million is sooner done than going through more."""


class OrderedAddresses:
    """As one long text of twelve digits and a line break each, and as lists by three of their digits.

    Looking through the text takes some milliseconds for half a million, the lists of what holds four digits
    or more a tenth of one. The first six digits of addresses are often the same: each is looked at once.
    26 bytes an address. It is never changed.
    """

    def __init__(self, macs: Iterable[MacAddress] = ()) -> None:
        ordered = [int(mac) for mac in sorted(macs)]
        self.text = "".join([f"{mac:012x}\n" for mac in ordered])
        self._lists = {place: _listed(ordered, place) for place in _PLACES}
        counts = Counter(mac >> 24 for mac in ordered)
        self._prefix_text = "".join([f"{prefix:06x}\n" for prefix in counts])
        self._first_lines = list(accumulate(counts.values(), initial=0))

    def beginning(self, prefix: str) -> Iterator[str]:
        """Those that begin with these digits, in order."""
        count = len(self.text) // STRIDE
        for line in range(bisect_left(range(count), prefix, key=self._digits), count):
            digits = self._digits(line)
            if not digits.startswith(prefix):
                return
            yield digits

    def is_listed_long(self, digits: str) -> bool:
        """Whether the lists of these digits, four or more, are long: as where most addresses begin alike, and
        have one list in common."""
        return sum(len(self._list(digits, place)) for place in self._places(digits)) > _LONG

    def ending(self, digits: str, limit: int) -> list[str]:
        """At most `limit` that end with these digits, four or more, in order."""
        lines = islice(self._lines(digits, WIDTH - len(digits)), limit)
        return list(map(self._digits, lines))

    def holding(self, digits: str, limit: int) -> list[str]:
        """At most `limit` that hold these digits, four or more, anywhere, in order."""
        found = set(islice(self._with_prefix(digits), limit))
        for place in self._places(digits):
            found.update(islice(self._lines(digits, place), limit))
        return list(map(self._digits, sorted(found)[:limit]))

    def _lines(self, digits: str, place: int) -> Iterator[int]:
        """Lines in which the digits stand at this place, in order."""
        starts = self.text.startswith
        for line in self._list(digits, place):
            if starts(digits, line * STRIDE + place):
                yield line

    def _list(self, digits: str, place: int) -> Sequence[int]:
        """The list that has all lines in which the digits stand at this place."""
        listed_at = next(one for one in _PLACES if place <= one and one + _KEY <= place + len(digits))
        key = digits[listed_at - place : listed_at - place + _KEY]
        return self._lists[listed_at].get(int(key, 16), ())

    @staticmethod
    def _places(digits: str) -> range:
        """Where these digits may stand that are not wholly in the first six."""
        return range(max(0, _PREFIX - len(digits) + 1), WIDTH - len(digits) + 1)

    def _with_prefix(self, digits: str) -> Iterator[int]:
        """Lines whose first six digits hold these, in order."""
        for number in lines_with(self._prefix_text, digits, _PREFIX + 1):
            yield from range(self._first_lines[number], self._first_lines[number + 1])

    def _digits(self, line: int) -> str:
        return self.text[line * STRIDE : line * STRIDE + WIDTH]


def lines_with(text: str, needle: str, stride: int) -> Iterator[int]:
    """Lines of a text, each of `stride` signs, in which `needle` begins, each once, in order."""
    at = text.find(needle)
    while at >= 0:
        line = at // stride
        yield line
        at = text.find(needle, (line + 1) * stride)


def _listed(ordered: Sequence[int], place: int) -> dict[int, "array[int]"]:
    """Lines by the three digits that stand at this place."""
    shift = 4 * (WIDTH - place - _KEY)
    lists: dict[int, array[int]] = defaultdict(partial(array, "I"))
    for line, mac in enumerate(ordered):
        lists[mac >> shift & 0xFFF].append(line)
    return dict(lists)
