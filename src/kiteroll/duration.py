"""Spans of time as people and settings write them: numbers with units."""

import re
from itertools import pairwise

_UNITS_S = {"ms": 0.001, "s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800}
_PART = r"(\d+(?:\.\d+)?)\s*(ms|s|m|h|d|w)"
_SPAN = re.compile(rf"(?:{_PART}\s*)+")


def parse_duration_s(value: object) -> float:
    """Seconds of a text like '30s', '5m' or '1h30m'. Raises ValueError for anything without a unit, and for
    units that do not grow smaller."""
    text = value.strip() if isinstance(value, str) else ""
    if not _SPAN.fullmatch(text):
        raise ValueError(f"{value!r} is no duration: write a number and a unit, such as 30s, 5m or 1h30m")
    parts = [(float(number), _UNITS_S[unit]) for number, unit in re.findall(_PART, text)]
    if any(later >= earlier for (_, earlier), (_, later) in pairwise(parts)):
        raise ValueError(f"{value!r} is no duration: larger units come first, each once, such as 1h30m")
    return sum(number * unit for number, unit in parts)


def duration_text(seconds: float) -> str:
    """As settings write it: 90s, 15m, 400d; the largest unit of which it is a whole number."""
    for unit in ("d", "h", "m", "s"):
        count = seconds / _UNITS_S[unit]
        if count >= 1 and count == int(count):
            return f"{int(count)}{unit}"
    return f"{seconds / _UNITS_S['ms']:g}ms"
