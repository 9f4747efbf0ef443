"""Parameters that many calls take."""

from typing import Annotated

from fastapi import Query

from kiteroll.schemas.base import Instant

Cursor = Annotated[str | None, Query(max_length=1000, description="`next` of the page before")]
Limit = Annotated[int, Query(ge=1, le=1000, description="rows a page")]
AsOf = Annotated[Instant | None, Query(description="as it was known at this instant; now unless given")]
Since = Annotated[Instant | None, Query(description="from this instant on")]
Until = Annotated[Instant | None, Query(description="before this instant")]
WithUplinks = Annotated[bool, Query(description="false leaves out uplinks")]
Days = Annotated[float, Query(gt=0, le=400, description="how far back")]
