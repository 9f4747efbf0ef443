"""What changed, what differs between two instants, and how each reading went."""

from typing import Annotated

from fastapi import APIRouter, Query

from kiteroll.api.dependencies import TheDifferences, TheHistory
from kiteroll.api.parameters import ERRORS, Cursor, Limit, Since, Until, WithUplinks
from kiteroll.api.presenters.history import present_change, present_difference, present_reading
from kiteroll.app.queries.history import ChangeFilter
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import Instant, PageOf

router = APIRouter(tags=["history"], responses=ERRORS)


@router.get("/changes", summary="What changed, latest first")
def list_changes(
    history: TheHistory,
    since: Since = None,
    until: Until = None,
    switch: str | None = None,
    mac: str | None = None,
    kind: Annotated[list[api.ChangeKind] | None, Query()] = None,
    uplinks: WithUplinks = True,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Change]:
    wanted = ChangeFilter(
        since=since,
        until=until,
        switch=switch,
        mac=None if mac is None else MacAddress.parse(mac),
        kinds=kind or (),
        uplinks=uplinks,
    )
    page = history.changes(wanted, cursor, limit)
    return PageOf(items=[present_change(row) for row in page.items], next=page.next)


@router.get("/differences", summary="What differs between two instants, by address")
def list_differences(
    differences: TheDifferences,
    since: Instant,
    until: Until = None,
    switch: str | None = None,
    group: str | None = None,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Difference]:
    page = differences.page(since, until, switch, group, cursor, limit)
    return PageOf(items=[present_difference(one) for one in page.items], next=page.next)


@router.get("/readings", summary="Readings and failed tries, latest first")
def list_readings(
    history: TheHistory, switch: str | None = None, cursor: Cursor = None, limit: Limit = 100
) -> PageOf[api.ReadingSummary]:
    page = history.readings(switch, cursor, limit)
    return PageOf(items=[present_reading(row) for row in page.items], next=page.next)
