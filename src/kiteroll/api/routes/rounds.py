"""Rounds on demand; limits of sites and hold times of groups."""

import asyncio

from fastapi import APIRouter

from kiteroll.api.dependencies import TheInventory, TheRounds
from kiteroll.api.parameters import ERRORS
from kiteroll.api.presenters.history import present_round
from kiteroll.app.inventory import GroupSettings, SiteSettings
from kiteroll.schemas import api

router = APIRouter(tags=["rounds"], responses=ERRORS)
_LATEST = 20


@router.post("/rounds", status_code=202, summary="Read some switches, a group or all now")
async def begin_round(rounds: TheRounds, new: api.NewRound) -> api.Round:
    return present_round(await rounds.begin(new.switches or (), new.group, everything=new.all))


@router.get("/rounds", summary="The latest rounds somebody asked for")
def list_rounds(rounds: TheRounds) -> list[api.Round]:
    return [present_round(one) for one in rounds.latest(_LATEST)]


@router.get("/rounds/{number}", summary="How far a round is")
def get_round(rounds: TheRounds, number: int) -> api.Round:
    return present_round(rounds.get(number))


@router.post("/rounds/{number}/cancel", summary="Cancel it; what was read stays")
async def cancel_round(rounds: TheRounds, number: int) -> api.Round:
    return present_round(await rounds.cancel(number))


@router.post("/rounds/{number}/resume", status_code=202, summary="Read the switches that are left")
async def resume_round(rounds: TheRounds, number: int) -> api.Round:
    return present_round(await rounds.resume(number))


@router.get("/sites", summary="Sites, and how many of their switches are read at once")
def list_sites(inventory: TheInventory) -> list[api.Site]:
    return [_present_site(one) for one in inventory.sites()]


@router.patch("/sites/{name}", summary="Limit how many switches of a site are read at once")
async def change_site(inventory: TheInventory, name: str, limit: api.SiteLimit) -> list[api.Site]:
    await inventory.limit_site(name, limit.concurrency)
    return await asyncio.to_thread(list_sites, inventory)


@router.get("/groups", summary="Groups of switches")
def list_groups(inventory: TheInventory) -> list[api.Group]:
    return [_present_group(one) for one in inventory.groups()]


@router.patch("/groups/{name}", summary="Set what holds for the switches of a group")
async def change_group(
    inventory: TheInventory, name: api.SwitchName, change: api.GroupChange
) -> list[api.Group]:
    await inventory.change_group(name, change.model_dump(exclude_unset=True))
    return await asyncio.to_thread(list_groups, inventory)


def _present_site(one: SiteSettings) -> api.Site:
    return api.Site(name=one.name, concurrency=one.concurrency, switches=one.switches)


def _present_group(one: GroupSettings) -> api.Group:
    return api.Group(
        name=one.name, switches=one.switches, hold_time_s=one.hold_time_s, shares_tables=one.shares_tables
    )
