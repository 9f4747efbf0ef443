"""Numbers as ranges, for ports that carry hundreds of VLANs."""

from collections.abc import Iterable

from kiteroll.core.errors import Invalid
from kiteroll.core.model.whole_number import whole_number


def ranges(numbers: Iterable[int]) -> list[str]:
    """1, 10-14: each run of neighbours as one text, ascending."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return [str(run[0]) if len(run) == 1 else f"{run[0]}-{run[-1]}" for run in runs]


def parse_ranges(text: str, most: int) -> list[int]:
    """`10, 20-29` as numbers from 1 to `most`, ascending. Raises Invalid."""
    found: set[int] = set()
    for part in filter(None, (one.strip() for one in text.split(","))):
        first, _, last = (one.strip() for one in part.partition("-"))
        low = whole_number(first, least=1, most=most)
        high = whole_number(last or first, least=1, most=most)
        if low is None or high is None or high < low:
            raise Invalid(f"{part!r}: numbers from 1 to {most}, as 10,20-29")
        found |= set(range(low, high + 1))
    return sorted(found)
