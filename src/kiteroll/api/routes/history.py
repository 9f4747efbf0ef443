"""What changed, what differs between two instants, and how each reading went."""

from typing import Annotated

from fastapi import APIRouter, Query

from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheDifferences, TheHistory, TheTrends, TheUnreadSwitches
from kiteroll.api.parameters import AsOf, Since, Until, WithUplinks
from kiteroll.api.presenters.history import (
    present_change,
    present_difference,
    present_hour,
    present_reading,
    present_unread_switch,
)
from kiteroll.app.queries.history import ChangeFilter
from kiteroll.app.queries.trends import MOST_HOURS
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import Instant, PageOf

router = APIRouter(tags=["history"])


@router.get("/changes", summary="What changed, latest first")
def list_changes(
    ask: Annotated[PageAsk, by("at")],
    history: TheHistory,
    since: Since = None,
    until: Until = None,
    switch: str | None = None,
    mac: str | None = None,
    kind: Annotated[list[api.ChangeKind] | None, Query()] = None,
    uplinks: WithUplinks = True,
) -> PageOf[api.Change]:
    wanted = ChangeFilter(
        since=since,
        until=until,
        switch=switch,
        mac=None if mac is None else MacAddress.parse(mac),
        kinds=kind or (),
        uplinks=uplinks,
    )
    found = history.changes(wanted, ask)
    return PageOf(items=[present_change(row) for row in found.items], next=found.next)


@router.get("/differences", summary="What differs between two instants, by address")
def list_differences(
    ask: Annotated[PageAsk, by()],
    differences: TheDifferences,
    since: Instant,
    until: Until = None,
    switch: str | None = None,
    group: str | None = None,
) -> PageOf[api.Difference]:
    found = differences.page(since, until, switch, group, ask)
    return PageOf(items=[present_difference(one) for one in found.items], next=found.next)


@router.get("/unread-switches", summary="Switches that were not read around an instant")
def list_unread_switches(
    ask: Annotated[PageAsk, by("switch", "read_before", "read_after")],
    unread: TheUnreadSwitches,
    at: AsOf = None,
    switch: str | None = None,
    group: str | None = None,
) -> PageOf[api.UnreadSwitch]:
    rows = [present_unread_switch(one) for one in unread.at(at, switch, group)]
    return page(rows, ask, "switch")


@router.get("/readings", summary="Readings and failed tries, latest first")
def list_readings(
    ask: Annotated[PageAsk, by("taken_at")], history: TheHistory, switch: str | None = None
) -> PageOf[api.ReadingSummary]:
    found = history.readings(switch, ask)
    return PageOf(items=[present_reading(row) for row in found.items], next=found.next)


@router.get("/hours", summary="What came hour by hour: readings, changes, new endpoints, findings")
def list_hours(
    ask: Annotated[PageAsk, by("began_at")],
    trends: TheTrends,
    hours: Annotated[int, Query(ge=1, le=MOST_HOURS, description="the last so many")] = 24,
) -> PageOf[api.Hour]:
    return page([present_hour(row) for row in trends.hours(hours)], ask, "began_at")
