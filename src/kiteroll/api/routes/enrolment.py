"""Enrolment windows, their candidates, and what people say of them."""

from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheClock, TheEnrolment
from kiteroll.api.presenters.rules import level_of, present_candidate, present_outcome, present_window
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.enrolment import Window
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/enrolment-windows", tags=["enrolment"])


@router.get("", summary="Windows in which those present become candidates, latest first")
def list_windows(
    ask: Annotated[PageAsk, by("id", "begins_at", "ends_at")], enrolment: TheEnrolment
) -> PageOf[api.EnrolmentWindow]:
    rows = [present_window(one) for one in enrolment.windows()]
    return page(rows, ask, "id")


@router.post("", status_code=201, summary="Open a window")
def open_window(
    response: Response, principal: ThePrincipal, enrolment: TheEnrolment, clock: TheClock, new: api.NewWindow
) -> api.EnrolmentWindow:
    window = Window(
        level_of(new.level),
        new.begins_at or clock.now(),
        new.ends_at,
        timedelta(seconds=new.min_present_s),
    )
    opened = enrolment.open_window(window, new.note, principal.name)
    located(response, "enrolment-windows", opened.row.id)
    return present_window(opened)


@router.get("/{number}", summary="One window")
def get_window(enrolment: TheEnrolment, number: int) -> api.EnrolmentWindow:
    return present_window(enrolment.window(number))


@router.post("/{number}/close", summary="Nobody decides on its candidates any more")
def close_window(principal: ThePrincipal, enrolment: TheEnrolment, number: int) -> api.EnrolmentWindow:
    return present_window(enrolment.close_window(number, principal.name))


@router.get("/{number}/candidates", summary="Who was present in it and is not enrolled, with their context")
def list_candidates(
    ask: Annotated[PageAsk, by("mac", "switch", "port", "since", "present_s", "share")],
    enrolment: TheEnrolment,
    number: int,
) -> PageOf[api.Candidate]:
    rows = [present_candidate(one) for one in enrolment.candidates(number)]
    return page(rows, ask, "mac", "switch", "port")


@router.post("/{number}/decisions", summary="Enrol candidates, and keep who was refused")
def decide(
    principal: ThePrincipal, enrolment: TheEnrolment, number: int, given: api.Decisions
) -> api.RulesOutcome:
    done = enrolment.decide(number, _refs(given.accept), _refs(given.refuse), principal.name, given.note)
    return present_outcome(done)


def _refs(given: list[api.CandidateRef]) -> list[tuple[MacAddress, PortRef]]:
    return [(MacAddress.parse(one.mac), (one.switch, one.port)) for one in given]
