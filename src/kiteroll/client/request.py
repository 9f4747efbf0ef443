"""A call of the API as a value: what to send, and what comes back. No I/O."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Generic, TypeVar
from urllib.parse import quote

from pydantic import TypeAdapter

from kiteroll.schemas.base import PageOf

T = TypeVar("T")

MOST_ROWS = 1000
"""Of a page."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ApiRequest(Generic[T]):
    method: str
    path: str
    """Below /api/v1."""
    answer: TypeAdapter[T]
    params: Mapping[str, Any] = field(default_factory=dict)
    body: Any = None
    patience_s: float = 15.0
    """How long the answer may take, in seconds."""

    @property
    def safe(self) -> bool:
        """Whether asking twice does no harm."""
        return self.method == "GET"


@dataclass(frozen=True, slots=True, kw_only=True)
class ApiListRequest(ApiRequest[PageOf[T]], Generic[T]):
    """A request whose answer comes in pages."""

    def at(self, cursor: str) -> "ApiListRequest[T]":
        return replace(self, params={**self.params, "cursor": cursor})


def get_request(path: str, answer: TypeAdapter[T], **params: Any) -> ApiRequest[T]:
    """A GET with the parameters that were given."""
    return ApiRequest(method="GET", path=path, answer=answer, params=_given(params))


def get_list(path: str, answer: TypeAdapter[PageOf[T]], **params: Any) -> ApiListRequest[T]:
    """The same, of a list; as large pages as there are unless `limit` says otherwise."""
    params.setdefault("limit", MOST_ROWS)
    return ApiListRequest(method="GET", path=path, answer=answer, params=_given(params))


def _given(params: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in params.items() if value is not None}


def part(text: str) -> str:
    """One part of a path: names of ports hold slashes."""
    return quote(text, safe="")
