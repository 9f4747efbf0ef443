"""Calls about links to devices, and about saved queries."""

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_NOTHING: TypeAdapter[None] = TypeAdapter(type(None))


def device_links() -> ApiListRequest[api.DeviceLink]:
    """Templates of links to switches and endpoints."""
    return get_list("/device-links", TypeAdapter(PageOf[api.DeviceLink]))


def set_device_link(name: str, link: api.DeviceLinkText) -> ApiRequest[api.DeviceLink]:
    path, body = f"/device-links/{part(name)}", link.model_dump(mode="json")
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.DeviceLink))


def remove_device_link(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/device-links/{part(name)}", answer=_NOTHING)


def switch_links(name: str) -> ApiListRequest[api.DeviceUrl]:
    return get_list(f"/switches/{part(name)}/links", TypeAdapter(PageOf[api.DeviceUrl]))


def endpoint_links(mac: str) -> ApiListRequest[api.DeviceUrl]:
    return get_list(f"/endpoints/{part(mac)}/links", TypeAdapter(PageOf[api.DeviceUrl]))


def saved_queries() -> ApiListRequest[api.SavedQuery]:
    return get_list("/saved-queries", TypeAdapter(PageOf[api.SavedQuery]))


def add_saved_query(new: api.SavedQueryText) -> ApiRequest[api.SavedQuery]:
    body = new.model_dump(mode="json")
    return ApiRequest(method="POST", path="/saved-queries", body=body, answer=TypeAdapter(api.SavedQuery))


def remove_saved_query(number: int) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/saved-queries/{number}", answer=_NOTHING)
