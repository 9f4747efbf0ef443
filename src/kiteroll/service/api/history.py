"""What changed, and how each reading went."""

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import AwareDatetime

from kiteroll.core.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service.answers_of_events import change_answer, reading_answer
from kiteroll.service.api.common import ERRORS, Cursor, Limit, Running, WithUplinks
from kiteroll.store import inventory, overview

router = APIRouter(tags=["history"], responses=ERRORS)


@router.get("/changes", summary="What changed, latest first")
def list_changes(
    service: Running,
    since: Annotated[AwareDatetime | None, Query(description="from this instant on")] = None,
    until: Annotated[AwareDatetime | None, Query(description="before this instant")] = None,
    switch: str | None = None,
    mac: str | None = None,
    kind: Annotated[list[api.ChangeKind] | None, Query()] = None,
    uplinks: WithUplinks = True,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Change]:
    page = service.database.run(
        overview.changes_page,
        since=since,
        until=until,
        switch_id=None if switch is None else service.database.run(inventory.get_switch, switch).id,
        mac=None if mac is None else MacAddress.parse(mac),
        kinds=kind or (),
        without_ports=frozenset() if uplinks else service.topology.get().uplink_ids,
        cursor=cursor,
        limit=limit,
    )
    return PageOf(items=[change_answer(row) for row in page.items], next=page.next)


@router.get("/readings", summary="Tries at reading, latest first")
def list_readings(
    service: Running, switch: str | None = None, cursor: Cursor = None, limit: Limit = 100
) -> PageOf[api.ReadingSummary]:
    switch_id = None if switch is None else service.database.run(inventory.get_switch, switch).id
    page = service.database.run(overview.readings_page, switch_id, cursor=cursor, limit=limit)
    return PageOf(items=[reading_answer(row) for row in page.items], next=page.next)
