"""Rows of a list as one level of columns: for CSV, sheets and Parquet."""

import json
from collections.abc import Sequence
from datetime import datetime
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from pydantic import AwareDatetime, BaseModel

from kiteroll.schemas.csv_cell import csv_cell


def columns_of(model: type[BaseModel]) -> list[str]:
    """What is inside an object is `outer.inner`. From the model, not from a row: a list may be empty."""
    names: list[str] = []
    for name, field in model.model_fields.items():
        inner = _object_of(field.annotation)
        names += [name] if inner is None else [f"{name}.{part}" for part in inner.model_fields]
    return names


def types_of(model: type[BaseModel]) -> dict[str, type]:
    """The type of each column: bool, int, float, datetime or str."""
    found: dict[str, type] = {}
    for name, field in model.model_fields.items():
        inner = _object_of(field.annotation)
        if inner is None:
            found[name] = _plain_type(field.annotation)
        else:
            found |= {
                f"{name}.{part}": _plain_type(one.annotation) for part, one in inner.model_fields.items()
            }
    return found


def values_of(row: BaseModel, columns: Sequence[str]) -> list[Any]:
    """In the order of the columns. Lists are their parts with "; " between, objects in them JSON; times stay
    times."""
    return [value_of(row, name) for name in columns]


def value_of(row: BaseModel, name: str) -> Any:
    """The value of one column."""
    value: Any = row
    for part in name.split("."):
        value = None if value is None else getattr(value, part)
    return _cell(value)


def csv_value(value: Any) -> Any:
    """A value as CSV has it: `true` and `false`, instants as in JSON, text that no spreadsheet runs."""
    value = plain_csv_value(value)
    return csv_cell(value) if type(value) is str else value


def plain_csv_value(value: Any) -> Any:
    """The same, with text as it is."""
    if type(value) is bool:
        return "true" if value else "false"
    if type(value) is list:
        return "; ".join(value)
    return instant_text(value) if isinstance(value, datetime) else value


def instant_text(at: datetime) -> str:
    """RFC 3339 with Z, as JSON has it."""
    return at.isoformat().replace("+00:00", "Z")


def _cell(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump_json()
    if isinstance(value, dict):
        return json.dumps(value, default=str, ensure_ascii=False)
    if isinstance(value, list | tuple):
        if any(isinstance(part, BaseModel | dict) for part in value):
            parts = [part.model_dump(mode="json") if isinstance(part, BaseModel) else part for part in value]
            return json.dumps(parts, ensure_ascii=False)
        return "; ".join(map(str, value))
    return value


def _object_of(annotation: Any) -> type[BaseModel] | None:
    """The model a field holds one of, or may hold one of; None for anything else."""
    kinds = [annotation, *(get_args(annotation) if get_origin(annotation) in (Union, UnionType) else ())]
    models = [kind for kind in kinds if isinstance(kind, type) and issubclass(kind, BaseModel)]
    return models[0] if len(models) == 1 else None


def _plain_type(annotation: Any) -> type:
    origin = get_origin(annotation)
    if origin is Annotated:
        return _plain_type(get_args(annotation)[0])
    if origin in (Union, UnionType):
        kinds = {_plain_type(one) for one in get_args(annotation) if one is not type(None)}
        return kinds.pop() if len(kinds) == 1 else str
    if origin is not None:
        return str
    if annotation is AwareDatetime:
        return datetime
    for kind in (bool, int, float, datetime):
        if isinstance(annotation, type) and issubclass(annotation, kind):
            return kind
    return str
