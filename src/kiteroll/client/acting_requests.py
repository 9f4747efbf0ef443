"""Calls about acting on ports: actions, closed ports, proposals, sweeps, advice on the ageing time."""

from collections.abc import Sequence
from typing import Any

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_PATIENCE_S = 120
"""A switch is read, written and read back, each with its tries."""


def act(new: api.NewAction) -> ApiRequest[api.ActionAnswer]:
    """Plan an action; with `dry_run` false, carry it out. 409 with the guards that object."""
    body = new.model_dump(mode="json", exclude_none=True)
    return ApiRequest(
        method="POST",
        path="/actions",
        body=body,
        answer=TypeAdapter(api.ActionAnswer),
        patience_s=_PATIENCE_S,
    )


def actions(
    *,
    switch: str | None = None,
    port: str | None = None,
    states: Sequence[str] = (),
    limit: int = 100,
) -> ApiListRequest[api.Action]:
    """What was done, latest first."""
    query: dict[str, Any] = {"switch": switch, "port": port, "state": list(states) or None}
    return get_list("/actions", TypeAdapter(PageOf[api.Action]), limit=limit, **query)


def action(number: int) -> ApiRequest[api.Action]:
    return get_request(f"/actions/{number}", TypeAdapter(api.Action))


def closed_ports() -> ApiRequest[api.ClosedPorts]:
    """Ports that are closed: by Kite Roll, or by somebody else on their switches."""
    return get_request("/closed-ports", TypeAdapter(api.ClosedPorts))


def go_on_closing() -> ApiRequest[None]:
    """Rules may close ports by themselves again."""
    return ApiRequest(method="POST", path="/closed-ports/go-on", answer=TypeAdapter(type(None)))


def proposals(*, states: Sequence[str] = (), limit: int = 100) -> ApiListRequest[api.Proposal]:
    """Proposals to close ports, latest first."""
    query: dict[str, Any] = {"state": list(states) or None}
    return get_list("/proposals", TypeAdapter(PageOf[api.Proposal]), limit=limit, **query)


def approve_proposal(number: int, given: api.Approval | None = None) -> ApiRequest[api.Proposal]:
    """Close the port that is proposed."""
    return ApiRequest(
        method="POST",
        path=f"/proposals/{number}/approve",
        body=(given or api.Approval()).model_dump(mode="json"),
        answer=TypeAdapter(api.Proposal),
        patience_s=_PATIENCE_S,
    )


def refuse_proposal(number: int) -> ApiRequest[api.Proposal]:
    """Leave the port open."""
    return ApiRequest(method="POST", path=f"/proposals/{number}/refuse", answer=TypeAdapter(api.Proposal))


def begin_sweep(new: api.NewSweep) -> ApiRequest[api.Sweep]:
    """Ask hosts to be heard; answers at once, `sweep` shows how far it is."""
    body = new.model_dump(mode="json")
    return ApiRequest(method="POST", path="/sweeps", body=body, answer=TypeAdapter(api.Sweep))


def sweeps() -> ApiListRequest[api.Sweep]:
    return get_list("/sweeps", TypeAdapter(PageOf[api.Sweep]))


def sweep(number: int) -> ApiRequest[api.Sweep]:
    return get_request(f"/sweeps/{number}", TypeAdapter(api.Sweep))


def ageing_advice(switch: str, *, days: float = 7) -> ApiRequest[api.AgeingAdvice]:
    """Which ageing time would suit it, by its last days."""
    return get_request(f"/switches/{part(switch)}/ageing-advice", TypeAdapter(api.AgeingAdvice), days=days)
