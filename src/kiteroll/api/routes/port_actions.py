"""Acting on ports: closing, reopening, aliases, the ageing time; proposals; asking hosts to be heard."""

import asyncio
from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import (
    TheActions,
    TheActor,
    TheAgeing,
    TheClosedPorts,
    ThePortRules,
    TheProposals,
    TheSweeps,
)
from kiteroll.api.parameters import Days
from kiteroll.api.presenters.port_actions import (
    present_action,
    present_advice,
    present_plan,
    present_proposal,
    present_stopped,
    present_sweep,
    read_order,
    read_wanted,
)
from kiteroll.app.queries.actions import ActionFilters
from kiteroll.core.port_actions.guards import Guard
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["acting"])


@router.post("/actions", summary="Close or reopen a port, set its alias, or the ageing time of a switch")
async def act(
    request: Request, actor: TheActor, rules: ThePortRules, principal: ThePrincipal, new: api.NewAction
) -> api.ActionAnswer:
    wanted, client = read_wanted(new), _client(request)
    if new.dry_run:
        rule = (
            await asyncio.to_thread(lambda: rules.book().rule((new.switch, new.port))) if new.port else None
        )
        return api.ActionAnswer(plan=present_plan(await actor.plan(wanted, client), rule), action=None)
    row = await actor.carry_out(wanted, read_order(new, principal.name, principal.via, client))
    return api.ActionAnswer(plan=None, action=present_action(row))


@router.get("/actions", summary="What was done to switches, latest first")
def list_actions(
    ask: Annotated[PageAsk, by("id")],
    actions: TheActions,
    switch: str | None = None,
    port: str | None = None,
    state: Annotated[list[api.ActionState] | None, Query()] = None,
) -> PageOf[api.Action]:
    found = actions.page(ActionFilters(switch, port, state or ()), ask)
    return PageOf(items=[present_action(row) for row in found.items], next=found.next)


@router.get("/actions/{number}", summary="One action, and what became of it")
def get_action(actions: TheActions, number: int) -> api.Action:
    return present_action(actions.get(number))


@router.get("/closed-ports", summary="Ports that are closed: here, or by somebody else on their switches")
def list_closed_ports(closed: TheClosedPorts, actions: TheActions) -> api.ClosedPorts:
    return api.ClosedPorts(
        closed=[
            api.ClosedPort(
                switch=one.closure.port[0],
                port=one.closure.port[1],
                closed_at=one.closure.closed_at,
                closed_by=one.closed_by,
                why=one.why,
                reopen_at=one.closure.reopen_at,
                held=one.closure.held,
                came_back=one.came_back,
                action=one.action,
            )
            for one in closed.all()
        ],
        elsewhere=[
            api.PortClosedElsewhere(switch=one.switch, port=one.port, alias=one.alias, since=one.since)
            for one in closed.elsewhere()
        ],
        stopped=present_stopped(closed.stopped()),
        can_write=actions.writable(),
    )


@router.get("/proposals", summary="Proposals to close ports, latest first")
def list_proposals(
    ask: Annotated[PageAsk, by("id")],
    proposals: TheProposals,
    state: Annotated[list[api.ProposalState] | None, Query()] = None,
) -> PageOf[api.Proposal]:
    found = proposals.page(state or (), ask)
    return PageOf(items=[present_proposal(row) for row in found.items], next=found.next)


@router.get("/proposals/{number}", summary="One proposal, and what became of it")
def get_proposal(proposals: TheProposals, number: int) -> api.Proposal:
    return present_proposal(proposals.get(number))


@router.post("/proposals/{number}/approve", summary="Close the port that is proposed")
async def approve_proposal(
    request: Request,
    proposals: TheProposals,
    principal: ThePrincipal,
    number: int,
    given: api.Approval | None = None,
) -> api.Proposal:
    overrides = frozenset(map(Guard, given.overrides if given else ()))
    row = await proposals.approve(number, principal.name, principal.via, _client(request), overrides)
    return present_proposal(row)


@router.post("/proposals/{number}/refuse", summary="Leave the port open")
def refuse_proposal(proposals: TheProposals, principal: ThePrincipal, number: int) -> api.Proposal:
    return present_proposal(proposals.refuse(number, principal.name))


@router.post(
    "/closed-ports/go-on",
    status_code=204,
    summary="Let rules close ports by themselves again, after they stopped",
)
def go_on_closing(closed: TheClosedPorts) -> None:
    closed.go_on()


@router.post("/sweeps", status_code=202, summary="Ask hosts to be heard, then read switches again")
async def begin_sweep(
    response: Response, sweeps: TheSweeps, principal: ThePrincipal, new: api.NewSweep
) -> api.Sweep:
    begun = await sweeps.begin(new.networks, new.switches, principal.name)
    located(response, "sweeps", begun.number)
    return present_sweep(begun)


@router.get("/sweeps", summary="Sweeps since the service was started, latest first")
def list_sweeps(ask: Annotated[PageAsk, by("id", "began_at")], sweeps: TheSweeps) -> PageOf[api.Sweep]:
    rows = [present_sweep(one) for one in sweeps.all()]
    return page(rows, ask, "id")


@router.get("/sweeps/{number}", summary="How far a sweep is, and what appeared")
def get_sweep(sweeps: TheSweeps, number: int) -> api.Sweep:
    return present_sweep(sweeps.get(number))


@router.get("/switches/{name}/ageing-advice", summary="Which ageing time would suit a switch")
def get_ageing_advice(ageing: TheAgeing, name: str, days: Days = 7) -> api.AgeingAdvice:
    return present_advice(name, ageing.advice(name, timedelta(days=days)))


def _client(request: Request) -> str:
    return request.client.host if request.client else ""
