"""Limits and areas of sites, and what holds for groups of switches."""

import asyncio
from typing import Annotated

from fastapi import APIRouter

from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheSitesAndGroups
from kiteroll.app.sites_and_groups import GroupSettings, SiteRow
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["rounds"])


@router.get("/sites", summary="Sites, how many of their switches are read at once, and their areas")
def list_sites(ask: Annotated[PageAsk, by("name", "switches")], those: TheSitesAndGroups) -> PageOf[api.Site]:
    rows = [_present_site(one) for one in those.sites()]
    return page(rows, ask, "name")


@router.get("/sites/{name}", summary="One site")
def get_site(those: TheSitesAndGroups, name: str) -> api.Site:
    return _present_site(those.site(name))


@router.patch("/sites/{name}", summary="Limit how many switches of a site are read at once; set its area")
async def change_site(those: TheSitesAndGroups, name: str, change: api.SiteChange) -> api.Site:
    await those.change_site(name, change.model_dump(exclude_unset=True))
    return await asyncio.to_thread(get_site, those, name)


@router.get("/groups", summary="Groups of switches")
def list_groups(
    ask: Annotated[PageAsk, by("name", "switches")], those: TheSitesAndGroups
) -> PageOf[api.Group]:
    rows = [_present_group(one) for one in those.groups()]
    return page(rows, ask, "name")


@router.get("/groups/{name}", summary="One group of switches")
def get_group(those: TheSitesAndGroups, name: str) -> api.Group:
    return _present_group(those.group(name))


@router.patch("/groups/{name}", summary="Set what holds for the switches of a group")
async def change_group(those: TheSitesAndGroups, name: api.Name, change: api.GroupChange) -> api.Group:
    await those.change_group(name, change.model_dump(exclude_unset=True))
    return await asyncio.to_thread(get_group, those, name)


def _present_site(one: SiteRow) -> api.Site:
    return api.Site(name=one.name, concurrency=one.concurrency, area=one.area, switches=one.switches)


def _present_group(one: GroupSettings) -> api.Group:
    return api.Group(
        name=one.name, switches=one.switches, hold_time_s=one.hold_time_s, shares_tables=one.shares_tables
    )
