"""What the handlers share: the service, and the parameters every list takes."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import Depends, Query, Request

from kiteroll.core.errors import NotFound
from kiteroll.schemas.api import Problem
from kiteroll.service.life import Service
from kiteroll.store import inventory, ports


def port_id(service: Service, switch: str, port: str) -> int:
    """Id of a port the switch has or had. Raises NotFound."""
    row = service.database.run(inventory.get_switch, switch)
    known = service.database.run(ports.port_ids, row.id)
    if port not in known:
        raise NotFound("port", port, f"`kiteroll on switch {switch}` shows the ports of {switch}")
    return known[port]


def the_service(request: Request) -> Service:
    service: Service = request.app.state.service
    return service


Running = Annotated[Service, Depends(the_service)]
Cursor = Annotated[str | None, Query(max_length=1000, description="`next` of the page before")]
Limit = Annotated[int, Query(ge=1, le=1000, description="rows a page")]

AsOf = Annotated[datetime | None, Query(description="as it was known at this instant; now unless given")]
WithUplinks = Annotated[bool, Query(description="false leaves out ports that lead to other switches")]

ERRORS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "description": text, "content": {"application/problem+json": {}}}
    for status, text in {
        401: "not signed in",
        404: "no such thing",
        409: "in conflict with what is there",
        422: "the request is wrong: `errors` says where",
        503: "the database is away",
    }.items()
}
