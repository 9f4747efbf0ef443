"""Types of settings that several sections have."""

from pathlib import Path
from typing import Annotated, Any

from pydantic import BeforeValidator

from kiteroll.duration import parse_duration_s

Seconds = Annotated[float, BeforeValidator(parse_duration_s)]
"""A span, written `90s`, `1h30m` or as a number of seconds."""


def _none_if_empty(value: Any) -> Any:
    return None if value == "" else value


FileName = Annotated[Path | None, BeforeValidator(_none_if_empty)]
