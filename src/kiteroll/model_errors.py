"""What the model library finds wrong with values, in words of our own: the same for files, settings, options
and calls."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from pydantic import ValidationError

BAD_JSON = "json_invalid"
UNKNOWN_FIELD = "extra_forbidden"
_INSTANT = "must be a time with its zone, such as 2026-05-04T12:00:00Z"
_WHOLE = "must be a whole number"
_TRUTH = "must be true or false"
_OBJECT = "must be an object"
_WORDS: Mapping[str, Callable[[Mapping[str, Any]], str] | str] = {
    "missing": "is required",
    UNKNOWN_FIELD: "is not a field here",
    "int_parsing": _WHOLE,
    "int_type": _WHOLE,
    "int_from_float": _WHOLE,
    "int_parsing_size": "is too large",
    "float_parsing": "must be a number",
    "float_type": "must be a number",
    "finite_number": "must be a finite number",
    "bool_parsing": _TRUTH,
    "bool_type": _TRUTH,
    "string_type": "must be text",
    "string_unicode": "is not text in UTF-8",
    "list_type": "must be a list",
    "dict_type": _OBJECT,
    "model_type": _OBJECT,
    "model_attributes_type": _OBJECT,
    "timezone_aware": _INSTANT,
    "datetime_parsing": _INSTANT,
    "datetime_from_date_parsing": _INSTANT,
    "datetime_type": _INSTANT,
    "datetime_object_invalid": _INSTANT,
    "greater_than_equal": lambda ctx: f"must be at least {ctx['ge']}",
    "greater_than": lambda ctx: f"must be more than {ctx['gt']}",
    "less_than_equal": lambda ctx: f"must be at most {ctx['le']}",
    "less_than": lambda ctx: f"must be less than {ctx['lt']}",
    "string_too_short": lambda ctx: f"must have at least {_count(ctx['min_length'], 'character')}",
    "string_too_long": lambda ctx: f"must have at most {_count(ctx['max_length'], 'character')}",
    "too_short": lambda ctx: f"must have at least {_count(ctx['min_length'], 'item')}",
    "too_long": lambda ctx: f"must have at most {_count(ctx['max_length'], 'item')}",
    "literal_error": lambda ctx: f"must be {ctx['expected']}",
    "enum": lambda ctx: f"must be {ctx['expected']}",
    "union_tag_invalid": lambda ctx: f"{ctx['discriminator']} must be {ctx['expected_tags']}",
    "union_tag_not_found": lambda ctx: f"{ctx['discriminator']} is required",
    "string_pattern_mismatch": lambda ctx: f"does not have the form {ctx['pattern']}",
    BAD_JSON: lambda ctx: f"cannot be read as JSON: {ctx['error']}",
}


def where_and_what(error: Mapping[str, Any]) -> tuple[str, str]:
    """Where (fields joined by dots, empty for the whole) and what, of one of `ValidationError.errors()`."""
    return ".".join(str(part) for part in error["loc"]), what_of(error)


def what_of(error: Mapping[str, Any]) -> str:
    words = _WORDS.get(error["type"], error["msg"].removeprefix("Value error, "))
    return words if isinstance(words, str) else words(error.get("ctx", {}))


def problems_of(wrong: "ValidationError") -> list[tuple[str, str]]:
    """Pairs of where and what."""
    return [where_and_what(one) for one in wrong.errors()]


def _count(number: int, thing: str) -> str:
    return f"{number} {thing}{'' if number == 1 else 's'}"
