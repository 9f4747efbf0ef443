"""What is wrong with parameters and bodies, in words of our own."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from fastapi import Request
from fastapi.dependencies.utils import get_flat_params
from fastapi.params import Query

from kiteroll.core.errors import InvalidParts
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.schemas.api import FieldProblem

BAD_JSON = "json_invalid"
_INSTANT = "must be a time with its zone, such as 2026-05-04T12:00:00Z"
_WHOLE = "must be a whole number"
_TRUTH = "must be true or false"
_OBJECT = "must be an object"
_WORDS: Mapping[str, Callable[[Mapping[str, Any]], str] | str] = {
    "missing": "is required",
    "extra_forbidden": "is not a field here",
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
_FLAT: dict[str, frozenset[str]] = {}


def field_problem(error: Mapping[str, Any]) -> FieldProblem:
    """One error of the model library (`ValidationError.errors()`), by its kind."""
    said = _WORDS.get(error["type"], error["msg"].removeprefix("Value error, "))
    what = said if isinstance(said, str) else said(error.get("ctx", {}))
    return FieldProblem(where=".".join(str(part) for part in error["loc"]), what=what)


def sentence(errors: Sequence[FieldProblem]) -> str:
    return "; ".join(f"{one.where}: {one.what}" if one.where else one.what for one in errors)


def check_query(request: Request) -> None:
    """Raises InvalidParts for a parameter that the call does not take: a mistyped filter would otherwise pass
    for a list of everything."""
    route = request.scope["route"]
    known = _FLAT.get(route.name)
    if known is None:
        declared = get_flat_params(route.dependant)
        known = _FLAT[route.name] = frozenset(
            one.alias for one in declared if isinstance(one.field_info, Query)
        )
    unknown = [name for name in request.query_params if name not in known]
    if unknown:
        takes = f"this call takes {', '.join(sorted(known))}" if known else "this call takes none"
        raise InvalidParts(
            "unknown parameter",
            [(f"query.{name}", did_you_mean(name, known, takes)) for name in dict.fromkeys(unknown)],
        )


def _count(number: int, thing: str) -> str:
    return f"{number} {thing}{'' if number == 1 else 's'}"
