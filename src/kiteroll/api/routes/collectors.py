"""Collectors at sites, and how the readings of those sites come."""

from typing import Annotated

from fastapi import APIRouter, Response
from fastapi.concurrency import run_in_threadpool

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheAssignments, TheClock, TheCollectors
from kiteroll.core.model.collector import Collector, SiteCondition
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["collectors"])


@router.get("/collectors", summary="Collectors, by site and name, and how each is")
def list_collectors(
    ask: Annotated[PageAsk, by("site", "name", "state", "heard_at")],
    collectors: TheCollectors,
    clock: TheClock,
) -> PageOf[api.Collector]:
    return page([_present(one, clock) for one in collectors.all()], ask, "name")


@router.get("/collectors/{name}", summary="One collector")
def get_collector(collectors: TheCollectors, clock: TheClock, name: str) -> api.Collector:
    return _present(collectors.get(name), clock)


@router.post(
    "/collectors", status_code=201, summary="Have the switches of a site read there, by this collector"
)
async def add_collector(
    response: Response,
    collectors: TheCollectors,
    assignments: TheAssignments,
    clock: TheClock,
    new: api.NewCollector,
) -> api.Collector:
    one = await run_in_threadpool(collectors.add, new.name, new.site, new.public_key)
    await assignments.reassign_site(one.site)
    located(response, "collectors", one.name)
    return _present(one, clock)


@router.delete(
    "/collectors/{name}",
    status_code=204,
    summary="Remove it; with the last one its site is read from here again",
)
async def remove_collector(collectors: TheCollectors, assignments: TheAssignments, name: str) -> Response:
    site = collectors.get(name).site
    await run_in_threadpool(collectors.remove, name)
    await assignments.reassign_site(site)
    return Response(status_code=204)


@router.get("/collected-sites", summary="How the readings of sites come that collectors read")
def list_collected_sites(
    ask: Annotated[PageAsk, by("site")], collectors: TheCollectors
) -> PageOf[api.CollectedSite]:
    return page([_present_site(one) for one in collectors.conditions()], ask, "site")


def _present(one: Collector, clock: TheClock) -> api.Collector:
    status = one.status
    return api.Collector(
        name=one.name,
        site=one.site,
        public_key=one.public_key,
        added_at=one.added_at,
        state=one.state(clock.now()).value,
        heard_at=status.heard_at if status else None,
        version=status.version if status else "",
        started_at=status.started_at if status else None,
        switches=status.switches if status else 0,
        clock_ahead_s=round(status.clock_ahead_s, 1) if status else 0.0,
        unsent=status.waiting if status else 0,
        problem=status.problem if status else "",
    )


def _present_site(one: SiteCondition) -> api.CollectedSite:
    return api.CollectedSite(
        site=one.site,
        up_to_date=one.up_to_date,
        silent_since=one.silent_since,
        behind_since=one.behind_since,
        on_their_way=one.waiting,
        dropped=one.dropped,
        dropped_at=one.dropped_at,
        refused=one.refused,
        refused_at=one.refused_at,
        refusal=one.refusal,
    )
