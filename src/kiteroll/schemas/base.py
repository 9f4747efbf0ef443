"""What all models share: strict about what comes in, RFC 3339 with Z going out."""

from datetime import UTC, datetime
from typing import Annotated, Any, Generic, TypeVar

from pydantic import (
    AfterValidator,
    AwareDatetime,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    WithJsonSchema,
)

from kiteroll.core.errors import BadAddress
from kiteroll.core.mac import MacAddress

T = TypeVar("T")


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Answer(BaseModel):
    """A model the service sends: clients of an older version ignore what they do not know."""

    model_config = ConfigDict(extra="ignore", frozen=True)


def _utc(at: datetime) -> datetime:
    return at if at.tzinfo is UTC else at.astimezone(UTC)


Instant = Annotated[AwareDatetime, AfterValidator(_utc)]
"""An instant in UTC; RFC 3339 with Z in JSON, to the microsecond."""


def _mac(value: Any) -> Any:
    if isinstance(value, MacAddress):
        return str(value)
    try:
        return str(MacAddress.parse(value))
    except BadAddress as wrong:
        raise ValueError(str(wrong)) from wrong


MacText = Annotated[
    str,
    BeforeValidator(_mac),
    WithJsonSchema(
        {"type": "string", "pattern": "^([0-9a-f]{2}:){5}[0-9a-f]{2}$", "examples": ["02:1a:01:07:52:4e"]}
    ),
]
"""A MAC address as aa:bb:cc:dd:ee:ff; any common notation is taken."""


class PageOf(Answer, Generic[T]):
    """One page of a list."""

    items: list[T]
    next: str | None = None
    """Cursor of the next page; null on the last."""
