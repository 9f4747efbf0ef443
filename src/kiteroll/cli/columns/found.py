"""Columns of what a search found, one row a hit, for programs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from kiteroll.cli.output import Column

if TYPE_CHECKING:
    from kiteroll.schemas import api


@dataclass(frozen=True, slots=True)
class Found:
    query: str
    kind: str
    """endpoint, never seen, switch, port or nothing; invalid: it cannot be searched for."""
    hit: api.Endpoint | api.Label | api.Switch | api.Port | None


def found() -> list[Column[Found]]:
    return [
        Column("query", lambda one: one.query),
        Column("found", lambda one: one.kind),
        *(Column(name, _of(name)) for name in ("mac", "ips", "host_names", "maker", "label", "confidence")),
        *(
            Column(name, _of_place(name))
            for name in ("switch", "port", "vlan", "life", "began_at", "seen_at")
        ),
    ]


def _of(name: str) -> Callable[[Found], Any]:
    return lambda one: getattr(one.hit, name, None)


def _of_place(name: str) -> Callable[[Found], Any]:
    """Of the home of an endpoint, or its likeliest place; of what else was found, itself."""

    def value(one: Found) -> Any:
        hit: Any = one.hit
        if one.kind == "endpoint":
            place = hit.home or next(iter(hit.places), None)
            return getattr(place, name, None)
        if one.kind == "switch":
            return hit.name if name == "switch" else None
        if one.kind == "port":
            return {"switch": hit.switch, "port": hit.name}.get(name)
        return None

    return value
