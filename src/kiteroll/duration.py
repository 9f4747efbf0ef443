"""Spans of time as people and settings write them: a number and a unit."""

import re

_UNITS_S = {"ms": 0.001, "s": 1, "m": 60, "h": 3600, "d": 86400}
_SPAN = re.compile(r"(\d+(?:\.\d+)?)\s*(ms|s|m|h|d)")


def parse_duration_s(value: object) -> float:
    """Seconds of a text like '30s' or '5m'. Raises ValueError for anything without a unit."""
    found = _SPAN.fullmatch(value.strip()) if isinstance(value, str) else None
    if found is None:
        raise ValueError(f"{value!r} is no duration: write a number and a unit, such as 30s, 5m or 2h")
    return float(found[1]) * _UNITS_S[found[2]]


def duration_text(seconds: float) -> str:
    """As settings write it: 90s, 15m, 400d; the largest unit of which it is a whole number."""
    for unit in ("d", "h", "m", "s"):
        count = seconds / _UNITS_S[unit]
        if count >= 1 and count == int(count):
            return f"{int(count)}{unit}"
    return f"{seconds / _UNITS_S['ms']:g}ms"
