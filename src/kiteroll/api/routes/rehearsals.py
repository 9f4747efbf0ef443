"""Rehearsals: what changed rules would have found in the recorded past."""

from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page, presented_page
from kiteroll.api.dependencies import TheClock, ThePortRules, TheRehearsals
from kiteroll.api.presenters.rehearsals import present_run, present_seats
from kiteroll.api.presenters.rules import change_of
from kiteroll.app.rehearsals import RehearsalScope
from kiteroll.core.errors import Conflict
from kiteroll.core.policy.rule_changes import RuleSet, changed, differences
from kiteroll.core.rehearsal.rehearsal import KEPT
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.rules_file import parse_rules

router = APIRouter(prefix="/rehearsals", tags=["rehearsal"])
_USUAL = timedelta(days=30)
Breaches = Annotated[int, Query(ge=0, le=KEPT, description="breaches listed at most, the longest first")]


@router.get("", summary="The latest rehearsals, without their breaches")
def list_rehearsals(
    ask: Annotated[PageAsk, by("id", "began_at")], rehearsals: TheRehearsals
) -> PageOf[api.RehearsalRun]:
    rows = [present_run(one, 0) for one in rehearsals.all()]
    return page(rows, ask, "id")


@router.post("", status_code=202, summary="Rehearse rules over the recorded past; answers at once")
def begin_rehearsal(
    response: Response, rehearsals: TheRehearsals, rules: ThePortRules, clock: TheClock, new: api.NewRehearsal
) -> api.RehearsalRun:
    before = rules.rule_set()

    def wanted(now_set: RuleSet) -> RuleSet:
        base = now_set if new.file is None else parse_rules(new.file)
        return changed(base, [change_of(one) for one in new.changes])

    after = rules.checked(wanted)
    now = clock.now()
    until = new.until or now
    scope = RehearsalScope(
        since=new.since or until - _USUAL, until=until, site=new.site, switch=new.switch, group=new.group
    )
    run = rehearsals.begin(rules.book(after), scope, len(differences(before, after)))
    located(response, "rehearsals", run.number)
    return present_run(run, 0)


@router.get("/{number}", summary="How far a rehearsal is; once it is done, what it found")
def get_rehearsal(rehearsals: TheRehearsals, number: int, breaches: Breaches = 500) -> api.RehearsalRun:
    return present_run(rehearsals.get(number), breaches)


@router.get("/{number}/seats", summary="How many endpoints each port carried, those that carried most first")
def list_rehearsed_seats(
    rehearsals: TheRehearsals,
    ask: Annotated[PageAsk, by("switch", "port", "typical", "high", "peak")],
    number: int,
) -> PageOf[api.SeatSuggestion]:
    run = rehearsals.get(number)
    if run.result is None:
        raise Conflict(f"rehearsal {number} is {run.state}: it has found nothing yet")
    return presented_page(
        run.result.seats, ask, present_seats, "switch", "port", name=lambda one: list(one.port)
    )


@router.post("/{number}/cancel", summary="Stop it")
def cancel_rehearsal(rehearsals: TheRehearsals, number: int) -> api.RehearsalRun:
    return present_run(rehearsals.cancel(number), 0)
