"""Rounds on demand; limits of sites and hold times of groups."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheInventory, TheRounds
from kiteroll.api.presenters.history import present_round
from kiteroll.app.inventory import GroupSettings, SiteRow
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["rounds"])
_LATEST = 20


@router.post("/rounds", status_code=202, summary="Read some switches, a group or all now")
async def begin_round(response: Response, rounds: TheRounds, new: api.NewRound) -> api.Round:
    row = await rounds.begin(new.switches or (), new.group, everything=new.all)
    located(response, "rounds", row.row.id)
    return present_round(row)


@router.get("/rounds", summary="The latest rounds somebody asked for")
def list_rounds(ask: Annotated[PageAsk, by("id", "began_at")], rounds: TheRounds) -> PageOf[api.Round]:
    rows = [present_round(one) for one in rounds.latest(_LATEST)]
    return page(rows, ask, "id")


@router.get("/rounds/{number}", summary="How far a round is")
def get_round(rounds: TheRounds, number: int) -> api.Round:
    return present_round(rounds.get(number))


@router.post("/rounds/{number}/cancel", summary="Cancel it; what was read stays")
async def cancel_round(rounds: TheRounds, number: int) -> api.Round:
    return present_round(await rounds.cancel(number))


@router.post("/rounds/{number}/resume", status_code=202, summary="Read the switches that are left")
async def resume_round(response: Response, rounds: TheRounds, number: int) -> api.Round:
    located(response, "rounds", number)
    return present_round(await rounds.resume(number))


@router.get("/sites", summary="Sites, how many of their switches are read at once, and their areas")
def list_sites(ask: Annotated[PageAsk, by("name", "switches")], inventory: TheInventory) -> PageOf[api.Site]:
    rows = [_present_site(one) for one in inventory.sites()]
    return page(rows, ask, "name")


@router.get("/sites/{name}", summary="One site")
def get_site(inventory: TheInventory, name: str) -> api.Site:
    return _present_site(inventory.site(name))


@router.patch("/sites/{name}", summary="Limit how many switches of a site are read at once; set its area")
async def change_site(inventory: TheInventory, name: str, change: api.SiteChange) -> api.Site:
    await inventory.change_site(name, change.model_dump(exclude_unset=True))
    return await asyncio.to_thread(get_site, inventory, name)


@router.get("/groups", summary="Groups of switches")
def list_groups(
    ask: Annotated[PageAsk, by("name", "switches")], inventory: TheInventory
) -> PageOf[api.Group]:
    rows = [_present_group(one) for one in inventory.groups()]
    return page(rows, ask, "name")


@router.get("/groups/{name}", summary="One group of switches")
def get_group(inventory: TheInventory, name: str) -> api.Group:
    return _present_group(inventory.group(name))


@router.patch("/groups/{name}", summary="Set what holds for the switches of a group")
async def change_group(inventory: TheInventory, name: api.SwitchName, change: api.GroupChange) -> api.Group:
    await inventory.change_group(name, change.model_dump(exclude_unset=True))
    return await asyncio.to_thread(get_group, inventory, name)


def _present_site(one: SiteRow) -> api.Site:
    return api.Site(name=one.name, concurrency=one.concurrency, area=one.area, switches=one.switches)


def _present_group(one: GroupSettings) -> api.Group:
    return api.Group(
        name=one.name, switches=one.switches, hold_time_s=one.hold_time_s, shares_tables=one.shares_tables
    )
