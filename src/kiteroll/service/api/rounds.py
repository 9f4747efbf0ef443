"""Rounds somebody asks for; limits of sites and hold times of groups."""

import asyncio
from collections import Counter

from fastapi import APIRouter

from kiteroll.schemas import api
from kiteroll.service.answers_of_switches import round_answer
from kiteroll.service.api.common import ERRORS, Running
from kiteroll.service.life import Service
from kiteroll.store import asked_rounds, holds, inventory, sites
from kiteroll.store.asked_rounds import RoundRow

router = APIRouter(tags=["rounds"], responses=ERRORS)
_LATEST = 20


@router.post("/rounds", status_code=202, summary="Read some switches, a group or all now")
async def begin_round(service: Running, new: api.NewRound) -> api.Round:
    return await _told(service, await service.begin_round(new))


@router.get("/rounds", summary="The latest rounds somebody asked for")
def list_rounds(service: Running) -> list[api.Round]:
    rows = service.database.run(asked_rounds.latest_rounds, _LATEST)
    return [_answer(service, row) for row in rows]


@router.get("/rounds/{number}", summary="How far a round is")
def get_round(service: Running, number: int) -> api.Round:
    return _answer(service, service.database.run(asked_rounds.get_round, number))


@router.delete("/rounds/{number}", summary="Cancel it; what was read stays")
async def cancel_round(service: Running, number: int) -> api.Round:
    return await _told(service, await service.asked_rounds.cancel(number))


@router.post("/rounds/{number}/resume", status_code=202, summary="Read what is left of it")
async def resume_round(service: Running, number: int) -> api.Round:
    return await _told(service, await service.asked_rounds.resume(number))


@router.get("/sites", summary="Sites, and how many of their switches are read at once")
def list_sites(service: Running) -> list[api.Site]:
    return [
        api.Site(name=name, at_once=at_once, switches=count)
        for name, at_once, count in service.database.run(sites.sites)
    ]


@router.put("/sites/{name}", summary="Limit how many switches of a site are read at once")
async def limit_site(service: Running, name: str, limit: api.SiteLimit) -> list[api.Site]:
    await service.stock.limit_site(name, limit.at_once)
    return await asyncio.to_thread(list_sites, service)


@router.get("/groups", summary="Groups of switches")
def list_groups(service: Running) -> list[api.Group]:
    own = service.database.run(holds.group_holds)
    counts = Counter(name for row in service.database.run(inventory.all_switches) for name in row.in_groups)
    return [
        api.Group(name=name, switches=counts[name], hold_s=own.get(name))
        for name in sorted(own.keys() | counts.keys())
    ]


@router.put("/groups/{name}", summary="Say how long quiet addresses keep their stay on a group's switches")
async def change_group(service: Running, name: api.SwitchName, change: api.GroupChange) -> list[api.Group]:
    await service.stock.set_group_hold(name, change.hold_s)
    return await asyncio.to_thread(list_groups, service)


def _answer(service: Service, row: RoundRow) -> api.Round:
    return round_answer(row, service.database.run(asked_rounds.progress, row))


async def _told(service: Service, row: RoundRow) -> api.Round:
    return await asyncio.to_thread(_answer, service, row)
