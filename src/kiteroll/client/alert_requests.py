"""Calls about alerts: targets, routes, planned work, and what was sent."""

from collections.abc import Sequence
from typing import Any

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_NOTHING: TypeAdapter[None] = TypeAdapter(None)


def alert_targets() -> ApiListRequest[api.AlertTarget]:
    """Where alerts go, by name, and how it goes."""
    return get_list("/alert-targets", TypeAdapter(PageOf[api.AlertTarget]))


def set_alert_target(name: str, given: api.AlertTargetSettings) -> ApiRequest[api.AlertTarget]:
    """Add or change one."""
    path, body = f"/alert-targets/{part(name)}", given.model_dump(mode="json")
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.AlertTarget))


def remove_alert_target(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/alert-targets/{part(name)}", answer=_NOTHING)


def test_alert_target(name: str) -> ApiRequest[api.AlertTest]:
    """Send a test there now, and say whether it arrived."""
    path = f"/alert-targets/{part(name)}/test"
    return ApiRequest(method="POST", path=path, answer=TypeAdapter(api.AlertTest), patience_s=60)


def alert_routes() -> ApiListRequest[api.AlertRoute]:
    """Which alerts go where, by name."""
    return get_list("/alert-routes", TypeAdapter(PageOf[api.AlertRoute]))


def set_alert_route(name: str, given: api.AlertRouteSettings) -> ApiRequest[api.AlertRoute]:
    """Add or change one."""
    path, body = f"/alert-routes/{part(name)}", given.model_dump(mode="json")
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.AlertRoute))


def remove_alert_route(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/alert-routes/{part(name)}", answer=_NOTHING)


def planned_work() -> ApiListRequest[api.PlannedWork]:
    """What is not over, first begun first."""
    return get_list("/planned-work", TypeAdapter(PageOf[api.PlannedWork]))


def plan_work(new: api.NewPlannedWork) -> ApiRequest[api.PlannedWork]:
    body = new.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="POST", path="/planned-work", body=body, answer=TypeAdapter(api.PlannedWork))


def end_work(number: int) -> ApiRequest[None]:
    """It ends now; what has not begun is not planned any more."""
    return ApiRequest(method="DELETE", path=f"/planned-work/{number}", answer=_NOTHING)


def alerts(
    *, states: Sequence[str] = (), target: str | None = None, finding: int | None = None, limit: int = 100
) -> ApiListRequest[api.Alert]:
    """Alerts that were sent, and those that wait; latest first."""
    given: dict[str, Any] = {"state": list(states) or None, "target": target, "finding": finding}
    return get_list("/alerts", TypeAdapter(PageOf[api.Alert]), **given, limit=limit)
