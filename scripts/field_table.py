"""docs/fields.md: every field of the API by name, with its type, its unit, and where it appears."""

import ast
from collections import defaultdict
from datetime import datetime
from importlib import import_module
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from pydantic import AwareDatetime, BaseModel

import kiteroll.schemas
from kiteroll.schemas.base import ResponseModel

_HEAD = """# Fields

One name for one thing, in the API, the client, JSON and CSV of the command line, exports and the console. In
CSV, sheets and Parquet what is inside an object is `outer.inner`. This page is generated from the code.

- Names that end in `_at` are instants: RFC 3339 in UTC, `2026-05-04T12:00:00.25Z`. So are `since`, `until`.
- `_s` is in seconds, `_ms` in milliseconds, `_bps` in bits a second.
- Truth is `true` or `false`; what is not known is `null`, in CSV an empty cell.
- Lists have "; " between their parts in CSV and sheets; objects in them are JSON.

| field | type | of | meaning |
| --- | --- | --- | --- |
"""
_SCHEMAS = Path(kiteroll.schemas.__file__).parent


def field_table() -> str:
    docs = _docstrings()
    models = sorted(_models(), key=lambda model: model.__name__)
    of: dict[tuple[str, str], list[str]] = defaultdict(list)
    meaning: dict[tuple[str, str], dict[str, None]] = defaultdict(dict)
    for model in models:
        for name, field in model.model_fields.items():
            key = (name, _type(field.annotation))
            of[key].append(model.__name__)
            if said := docs.get((model.__name__, name)):
                meaning[key][said] = None
    lines = [
        f"| `{name}` | {kind} | {', '.join(of[name, kind])} | {' / '.join(meaning[name, kind])} |"
        for name, kind in sorted(of)
    ]
    return _HEAD + "\n".join(lines) + "\n"


def _models() -> set[type[BaseModel]]:
    for file in _SCHEMAS.glob("*.py"):
        import_module(f"kiteroll.schemas.{file.stem}")

    def below(model: type[BaseModel]) -> set[type[BaseModel]]:
        return {model}.union(*(below(one) for one in model.__subclasses__()))

    own = below(ResponseModel) - {ResponseModel}
    return {one for one in own if "[" not in one.__name__ and one.__module__.startswith("kiteroll.schemas")}


def _docstrings() -> dict[tuple[str, str], str]:
    """What stands below a field in the code, by model and field."""
    found: dict[tuple[str, str], str] = {}
    for file in sorted(_SCHEMAS.glob("*.py")):
        for model in ast.walk(ast.parse(file.read_text())):
            if not isinstance(model, ast.ClassDef):
                continue
            for field, below in zip(model.body, model.body[1:], strict=False):
                if (
                    isinstance(field, ast.AnnAssign)
                    and isinstance(field.target, ast.Name)
                    and isinstance(below, ast.Expr)
                    and isinstance(below.value, ast.Constant)
                ):
                    text = " ".join(str(below.value.value).split())
                    found[model.name, field.target.id] = text.replace("|", "\\|")
    return found


def _type(annotation: Any) -> str:
    origin, parts = get_origin(annotation), get_args(annotation)
    if annotation is AwareDatetime or annotation is datetime:
        return "instant"
    if origin is Literal:
        return "one of " + ", ".join(f"`{part}`" for part in parts)
    if origin is list:
        return f"list of {_type(parts[0])}"
    if origin is dict:
        return "object"
    if hasattr(annotation, "__metadata__"):
        return _type(parts[0])
    if origin is not None and parts:
        kinds = [_type(part) for part in parts if part is not type(None)]
        return " or ".join(dict.fromkeys(kinds)) + (" or null" if type(None) in parts else "")
    names = {str: "text", int: "whole number", float: "number", bool: "truth"}
    return names.get(annotation, getattr(annotation, "__name__", str(annotation)))
