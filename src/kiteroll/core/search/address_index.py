"""Finding addresses by any fragment of them, fast enough to follow the typing."""

from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import chain, islice

from kiteroll.core.model.mac import Fragment, MacAddress
from kiteroll.core.search.ordered_addresses import STRIDE, WIDTH, OrderedAddresses, lines_with

_LISTED = 4
"""Digits from which those in order may be found by their lists; fewer are soon found anywhere."""
_SPARE = 1000
"""Lines gathered beyond those shown before a pass looks for the endings alone."""
_MAX_LATE = 50_000
"""Addresses that came later; beyond it all are put in order again, which takes a second."""


class AddressIndex:
    """All known addresses in order, and a short text of those that came later, which is looked through.

    One thread adds, any may find meanwhile: a search works on what it began with.
    """

    def __init__(self, macs: Iterable[MacAddress] = ()) -> None:
        self._known = set(macs)
        self._prefixes = Counter(mac >> 24 for mac in self._known)
        self._parts = (OrderedAddresses(self._known), "")

    def __len__(self) -> int:
        return len(self._known)

    def __contains__(self, mac: object) -> bool:
        return mac in self._known

    def add(self, macs: Iterable[MacAddress]) -> None:
        new = [mac for mac in dict.fromkeys(macs) if mac not in self._known]
        if not new:
            return
        self._known.update(new)
        self._prefixes.update(mac >> 24 for mac in new)
        ordered, late = self._parts
        if len(late) + len(new) * STRIDE > _MAX_LATE * STRIDE:
            self._parts = (OrderedAddresses(self._known), "")
        else:
            self._parts = (ordered, late + "".join(f"{mac.digits}\n" for mac in new))

    def remove(self, macs: Iterable[MacAddress]) -> None:
        """Takes a second for half a million: for many at a time."""
        gone = self._known & set(macs)
        if not gone:
            return
        self._known -= gone
        self._prefixes.subtract(mac >> 24 for mac in gone)
        self._parts = (OrderedAddresses(self._known), "")

    def shares_prefix(self, mac: MacAddress) -> bool:
        """Whether another known address has the same first three octets."""
        return self._prefixes[mac >> 24] > (mac in self._known)

    def beginning(self, prefix: str, limit: int) -> list[MacAddress]:
        """At most `limit` addresses that begin with these hex digits."""
        ordered, late = self._parts
        lines = chain(ordered.beginning(prefix), _with("\n" + late, "\n" + prefix, 1))
        return [_address(digits) for digits in islice(lines, limit)]

    def find(self, fragment: Fragment, limit: int) -> list[MacAddress]:
        """At most `limit` addresses that hold the fragment: those ending with it first (people
        hold the last digits of a label), then those beginning with it, then the rest."""
        if fragment.is_whole:
            mac = MacAddress(int(fragment.digits, 16))
            return [mac] if mac in self._known else []
        digits = fragment.digits
        ordered, late = self._parts
        ending: list[str] = []
        holding: list[str] = []
        if len(digits) < _LISTED or ordered.is_listed_long(digits):
            self._pass(ordered.text, digits, limit, ending, holding)
        else:
            ending = ordered.ending(digits, limit)
            # Among them may be all that end, and all that begin, with the digits.
            holding = [] if len(ending) == limit else ordered.holding(digits, 3 * limit)
        self._pass(late, digits, limit, ending, holding)
        found = dict.fromkeys(map(_address, ending[:limit]))
        if len(found) < limit:
            found.update(dict.fromkeys(self.beginning(digits, limit)))
            found.update(dict.fromkeys(map(_address, holding)))
        return list(islice(found, limit))

    def _pass(self, text: str, digits: str, limit: int, ending: list[str], holding: list[str]) -> None:
        """Lines of `text` that end with the digits, and as many that hold them elsewhere as can be of
        use; one pass does for both, unless what is looked for stands nearly everywhere."""
        most = limit + len(ending) + len(holding) + _SPARE
        for line in _with(text, digits, 0):
            (ending if line.endswith(digits) else holding).append(line)
            if len(ending) >= limit:
                return
            if len(holding) >= most:
                known = set(ending)
                more = (each for each in _with(text, digits + "\n", 0) if each not in known)
                ending.extend(islice(more, limit - len(ending)))
                return


def _address(digits: str) -> MacAddress:
    return MacAddress(int(digits, 16))


def _with(text: str, needle: str, skip: int) -> Iterator[str]:
    """Digits of the lines that hold `needle`, each once, in order; `skip` signs stand before the lines."""
    for line in lines_with(text, needle, STRIDE):
        start = line * STRIDE + skip
        yield text[start : start + WIDTH]
