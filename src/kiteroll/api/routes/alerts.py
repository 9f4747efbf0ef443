"""Alerts: targets, routes, planned work, and what was sent."""

from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheAlertRoutes, TheAlertTargets, TheClock
from kiteroll.api.presenters.alerts import (
    present_message,
    present_route,
    present_target,
    present_test,
    present_work,
    read_route,
)
from kiteroll.app.alerts.alert_routes import MessageFilters
from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.types import Name

router = APIRouter(tags=["alerts"])


@router.get("/alert-targets", summary="Where alerts are delivered to, by name, and how it goes")
def list_alert_targets(
    ask: Annotated[PageAsk, by("name", "waiting")], targets: TheAlertTargets
) -> PageOf[api.AlertTarget]:
    rows = [present_target(one) for one in targets.all()]
    return page(rows, ask, "name")


@router.get("/alert-targets/{name}", summary="One target, without what is secret in it")
def get_alert_target(targets: TheAlertTargets, name: str) -> api.AlertTarget:
    return present_target(targets.get(name))


@router.put("/alert-targets/{name}", summary="Add or change a target: webhook, mail, syslog or folder")
def set_alert_target(targets: TheAlertTargets, name: Name, given: api.AlertTargetSettings) -> api.AlertTarget:
    settings = given.settings.model_dump(mode="json", exclude={"kind"})
    flags = {"enabled": given.enabled, "audit_log": given.audit_log}
    return present_target(targets.set(name, given.settings.kind, settings, given.secret, **flags))


@router.delete("/alert-targets/{name}", status_code=204, summary="Remove a target, and what waits for it")
def remove_alert_target(targets: TheAlertTargets, name: str) -> Response:
    targets.remove(name)
    return Response(status_code=204)


@router.post("/alert-targets/{name}/test", summary="Send a test there now, and say whether it arrived")
def test_alert_target(targets: TheAlertTargets, principal: ThePrincipal, name: str) -> api.AlertTest:
    return present_test(targets.test(name, principal.name))


@router.get("/alert-routes", summary="Which alerts go where, by name")
def list_alert_routes(
    ask: Annotated[PageAsk, by("name", "target", "severity")], routes: TheAlertRoutes
) -> PageOf[api.AlertRoute]:
    rows = [present_route(one) for one in routes.all()]
    return page(rows, ask, "name")


@router.get("/alert-routes/{name}", summary="One route")
def get_alert_route(routes: TheAlertRoutes, name: str) -> api.AlertRoute:
    return present_route(routes.get(name))


@router.put("/alert-routes/{name}", summary="Add or change a route")
def set_alert_route(
    routes: TheAlertRoutes, clock: TheClock, name: Name, given: api.AlertRouteSettings
) -> api.AlertRoute:
    return present_route(routes.set(read_route(name, given, clock.now())))


@router.delete("/alert-routes/{name}", status_code=204, summary="Remove a route")
def remove_alert_route(routes: TheAlertRoutes, name: str) -> Response:
    routes.remove(name)
    return Response(status_code=204)


@router.get("/planned-work", summary="Work that is planned or running, first begun first")
def list_planned_work(
    ask: Annotated[PageAsk, by("id", "begins_at", "ends_at")], routes: TheAlertRoutes, clock: TheClock
) -> PageOf[api.PlannedWork]:
    rows = [present_work(row, clock.now()) for row in routes.planned_work()]
    return page(rows, ask, "id")


@router.post("/planned-work", status_code=201, summary="Plan work, during which no alerts are sent")
def plan_work(
    response: Response,
    routes: TheAlertRoutes,
    principal: ThePrincipal,
    clock: TheClock,
    new: api.NewPlannedWork,
) -> api.PlannedWork:
    work = PlannedWork(
        begins_at=new.begins_at or clock.now(),
        ends_at=new.ends_at,
        site=new.site,
        switch=new.switch or "",
        kind=new.kind or "",
    )
    row = routes.plan_work(work, new.reason, principal.name)
    located(response, "planned-work", row.id)
    return present_work(row, clock.now())


@router.get("/planned-work/{number}", summary="One piece of planned work")
def get_planned_work(routes: TheAlertRoutes, clock: TheClock, number: int) -> api.PlannedWork:
    return present_work(routes.get_planned_work(number), clock.now())


@router.delete("/planned-work/{number}", status_code=204, summary="End planned work now, or give it up")
def end_work(routes: TheAlertRoutes, number: int) -> Response:
    routes.end_work(number)
    return Response(status_code=204)


@router.get("/alerts", summary="Alerts that were sent, and those that wait; latest first")
def list_alerts(
    ask: Annotated[PageAsk, by("id")],
    routes: TheAlertRoutes,
    state: Annotated[list[api.AlertState] | None, Query()] = None,
    target: str | None = None,
    finding: int | None = None,
) -> PageOf[api.Alert]:
    found = routes.messages(MessageFilters(state or (), target, finding), ask)
    return PageOf(items=[present_message(row) for row in found.items], next=found.next)
