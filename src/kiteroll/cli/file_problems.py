"""What is wrong with a file, in few lines: one mistake may be in each of thousands of its lines."""

from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path

from kiteroll.core.errors import Invalid
from kiteroll.wording.spans import first_of

_PLACES = 3
_SHOWN = 20


def refused(file: Path, outcome: str, problems: Sequence[tuple[str, str]]) -> Invalid:
    """`outcome`: "nothing was changed"; `problems`: pairs of where in the file, and what. The same at several
    places is said once."""
    places: dict[str, list[str]] = defaultdict(list)
    for where, what in problems:
        places[what].append(where)
    lines = [f"{file}, {first_of(where, _PLACES)}: {what}" for what, where in places.items()]
    more = [f"and {len(lines) - _SHOWN} more problems"] if len(lines) > _SHOWN else []
    return Invalid("\n  ".join((f"{outcome}:", *lines[:_SHOWN], *more)))
