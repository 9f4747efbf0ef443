"""Calls about collectors at sites."""

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_NOTHING: TypeAdapter[None] = TypeAdapter(type(None))


def collectors() -> ApiListRequest[api.Collector]:
    """By site and name."""
    return get_list("/collectors", TypeAdapter(PageOf[api.Collector]))


def add_collector(new: api.NewCollector) -> ApiRequest[api.Collector]:
    body = new.model_dump(mode="json")
    return ApiRequest(method="POST", path="/collectors", body=body, answer=TypeAdapter(api.Collector))


def remove_collector(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/collectors/{part(name)}", answer=_NOTHING)


def collected_sites() -> ApiListRequest[api.CollectedSite]:
    """How the readings of sites come that collectors read."""
    return get_list("/collected-sites", TypeAdapter(PageOf[api.CollectedSite]))
