"""Finding addresses by any fragment of them, fast enough to follow the typing."""

from collections.abc import Iterable
from itertools import islice

from kiteroll.core.mac import Fragment, MacAddress

_WIDTH = 12
_STRIDE = _WIDTH + 1


class AddressIndex:
    """All known addresses as one long text of twelve digits and a line break each.

    One `str.find` pass over half a million addresses takes some milliseconds, which no tree over
    all rotations of an address would beat by enough to pay for its memory. 13 bytes an address.
    Adding and finding may happen in different threads: a search works on the text it began with.
    """

    def __init__(self, macs: Iterable[MacAddress] = ()) -> None:
        self._known = set(macs)
        self._text = "".join(f"{mac.digits}\n" for mac in sorted(self._known))
        self._pending: list[str] = []

    def __len__(self) -> int:
        return len(self._known)

    def __contains__(self, mac: MacAddress) -> bool:
        return mac in self._known

    def add(self, macs: Iterable[MacAddress]) -> None:
        for mac in macs:
            if mac not in self._known:
                self._known.add(mac)
                self._pending.append(f"{mac.digits}\n")

    def shares_prefix(self, mac: MacAddress) -> bool:
        """Whether another known address has the same first three octets."""
        self._settle()
        lines = _lines_starting(self._text, mac.digits[:6])
        return len(list(islice(lines, 2))) > (mac in self._known)

    def beginning(self, prefix: str, limit: int) -> list[MacAddress]:
        """At most `limit` addresses that begin with these hex digits."""
        self._settle()
        return [self._at(line) for line in islice(_lines_starting(self._text, prefix), limit)]

    def find(self, fragment: Fragment, limit: int) -> list[MacAddress]:
        """At most `limit` addresses that hold the fragment: those ending with it first (people
        hold the last digits of a label), then those beginning with it, then the rest."""
        self._settle()
        if fragment.is_whole:
            mac = MacAddress(int(fragment.digits, 16))
            return [mac] if mac in self._known else []
        text, digits = self._text, fragment.digits
        # Dicts keep the order of the passes and drop what a later pass finds again.
        found = dict.fromkeys(islice(_lines_with(text, digits + "\n", 0), limit))
        if len(found) < limit:
            found.update(dict.fromkeys(islice(_lines_starting(text, digits), limit)))
        if len(found) < limit:
            found.update(dict.fromkeys(islice(_lines_with(text, digits, 0), limit + len(found))))
        return [self._at(line) for line in islice(found, limit)]

    def _settle(self) -> None:
        if self._pending:
            pending, self._pending = self._pending, []
            self._text += "".join(pending)

    def _at(self, line: int) -> MacAddress:
        return MacAddress(int(self._text[line * _STRIDE : line * _STRIDE + _WIDTH], 16))


def _lines_with(text: str, needle: str, start: int) -> Iterable[int]:
    """Numbers of the lines that hold `needle`, each once, ascending."""
    at = text.find(needle, start)
    while at >= 0:
        line = at // _STRIDE
        yield line
        at = text.find(needle, (line + 1) * _STRIDE)


def _lines_starting(text: str, digits: str) -> Iterable[int]:
    if text.startswith(digits):
        yield 0
    for before in _lines_with(text, "\n" + digits, 0):
        yield before + 1
