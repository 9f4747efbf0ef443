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
    field_validator,
)

from kiteroll.core.errors import BadAddress
from kiteroll.core.model.bounds import YEARS, has_control_characters
from kiteroll.core.model.mac import MacAddress

T = TypeVar("T")


class StrictModel(BaseModel):
    """Refuses what it does not know."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class RequestModel(StrictModel):
    """What is asked of the service, and kept for others to see."""

    @field_validator("*", mode="after")
    @classmethod
    def _no_control_characters(cls, value: Any) -> Any:
        for text in value if isinstance(value, list | tuple) else (value,):
            if isinstance(text, str) and has_control_characters(text):
                raise ValueError("control characters are not taken")
        return value


class ResponseModel(BaseModel):
    """A model the service sends: clients of an older version ignore what they do not know."""

    model_config = ConfigDict(extra="ignore", frozen=True)


def _no_number(value: Any) -> Any:
    if isinstance(value, datetime):
        return value
    if isinstance(value, int | float) or (isinstance(value, str) and value.replace(".", "").isdecimal()):
        raise ValueError("write an instant as text with its zone, such as 2026-05-04T12:00:00Z")
    return value


def _utc(at: datetime) -> datetime:
    # Instants outside are typing mistakes, and some of them no zone can convert.
    if at.year not in YEARS:
        raise ValueError(f"the year {at.year} is not between {YEARS.start} and {YEARS.stop - 1}")
    return at if at.tzinfo is UTC else at.astimezone(UTC)


Instant = Annotated[AwareDatetime, BeforeValidator(_no_number), AfterValidator(_utc)]
"""An instant in UTC; RFC 3339 with Z in JSON, to the microsecond."""


def _mac(value: Any) -> Any:
    if isinstance(value, MacAddress):
        return str(value)
    if not isinstance(value, str):
        raise ValueError("an address is written as text")
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


class PageOf(ResponseModel, Generic[T]):
    """One page of a list."""

    items: list[T]
    next: str | None = None
    """Cursor of the next page; null on the last."""
