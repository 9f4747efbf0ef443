"""Areas: which sites share layer 2, and who tracks their switches."""

from typing import Annotated

from fastapi import APIRouter

from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheAreas
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["areas"])


@router.get("/areas", summary="Areas, by name, and who tracks the switches of each")
def list_areas(ask: Annotated[PageAsk, by("name")], areas: TheAreas) -> PageOf[api.Area]:
    found = [
        api.Area(
            name=one.name,
            sites=list(one.sites),
            switches=one.switches,
            tracked=one.tracked,
            tracker=one.tracker,
            times_taken=one.epoch,
        )
        for one in areas.status()
    ]
    return page(found, ask, "name")
