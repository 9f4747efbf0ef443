"""Finding a fragment among 500,000 addresses, as the service does it at each keystroke."""

import random

from bench.measure import median, row
from kiteroll.core.model.mac import Fragment, MacAddress
from kiteroll.core.search.address_index import AddressIndex

ENDPOINTS = 500_000


def main() -> None:
    chosen = random.Random(1)
    macs = [MacAddress(0x020000000000 | chosen.getrandbits(40)) for _ in range(ENDPOINTS)]
    known = macs[1234].digits
    _measure(
        AddressIndex(macs),
        ("last four digits", known[-4:]),
        ("six digits from the middle", known[3:9]),
        ("two digits, thousands match", known[:2]),
        ("nothing matches", "f" * 8),
        ("a whole address", known),
    )
    _measure(
        AddressIndex(MacAddress(0x021A00000000 + number) for number in range(ENDPOINTS)),
        ("one after another, last four digits", "4d2e"),
        ("one after another, four zeros", "0000"),
        ("one after another, nothing matches", "1b00"),
    )


def _measure(index: AddressIndex, *cases: tuple[str, str]) -> None:
    for label, digits in cases:
        took = median(lambda digits=digits: index.find(Fragment(digits), 50))  # type: ignore[misc]
        row(f"{label} among {len(index):,}", f"{took.wall_s * 1000:.2f} ms")
