"""The order people expect: numbers by size, times by time, p2 before p10."""

import re
from datetime import datetime
from typing import Any

_DIGITS = re.compile(r"(\d+)")


def natural_key(value: Any) -> tuple[Any, ...]:
    """Keys of values of any kind can be compared; what is nothing is not for here."""
    if isinstance(value, bool | int | float):
        return (0, value)
    if isinstance(value, datetime):
        return (1, value.timestamp())
    parts = _DIGITS.split(str(value))
    return (2, *((0, int(part), "") if part.isdecimal() else (1, 0, part) for part in parts if part))
