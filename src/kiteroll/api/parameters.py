"""Parameters that many calls take, and the errors they all may answer with."""

from typing import Annotated, Any

from fastapi import Query

from kiteroll.schemas.api import Problem
from kiteroll.schemas.base import Instant

Cursor = Annotated[str | None, Query(max_length=1000, description="`next` of the page before")]
Limit = Annotated[int, Query(ge=1, le=1000, description="rows a page")]
AsOf = Annotated[Instant | None, Query(description="as it was known at this instant; now unless given")]
Since = Annotated[Instant | None, Query(description="from this instant on")]
Until = Annotated[Instant | None, Query(description="before this instant")]
WithUplinks = Annotated[bool, Query(description="false leaves out uplinks")]
Days = Annotated[float, Query(gt=0, le=400, description="how far back")]

ERRORS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "description": text, "content": {"application/problem+json": {}}}
    for status, text in {
        401: "not signed in",
        404: "not found",
        409: "in conflict with what is there",
        422: "the request is invalid: `errors` says where",
        503: "the database is unavailable",
    }.items()
}
