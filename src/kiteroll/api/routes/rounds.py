"""Rounds on demand."""

from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheRounds
from kiteroll.api.presenters.history import present_round
from kiteroll.app.on_demand_rounds import Wanted
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["rounds"])
_LATEST = 20


@router.post("/rounds", status_code=202, summary="Read some switches, a group, a site or all now")
async def begin_round(response: Response, rounds: TheRounds, new: api.NewRound) -> api.Round:
    row = await rounds.begin(Wanted(new.switches or (), new.group, new.site))
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
