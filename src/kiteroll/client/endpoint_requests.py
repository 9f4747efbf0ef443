"""Calls about endpoints: search, one of them, stays, makers."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def change_endpoint(mac: str, change: api.EndpointChange) -> ApiRequest[api.Endpoint]:
    body = change.model_dump(mode="json", exclude_none=True)
    path = f"/endpoints/{part(mac)}"
    return ApiRequest(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Endpoint))


def path(mac: str, *, start: str | None = None, at: datetime | None = None) -> ApiListRequest[api.Hop]:
    """Hop by hop from `start`: a switch, or what one endpoint is found by; or else from the switch furthest
    away. Empty when none is known."""
    path = f"/endpoints/{part(mac)}/path"
    return get_list(path, TypeAdapter(PageOf[api.Hop]), start=start, at=at and at.isoformat())


def makers() -> ApiListRequest[api.Maker]:
    return get_list("/makers", TypeAdapter(PageOf[api.Maker]))


def add_makers(prefixes: Mapping[str, str]) -> ApiRequest[PageOf[api.Maker]]:
    body = {"makers": dict(prefixes)}
    return ApiRequest(method="PATCH", path="/makers", body=body, answer=TypeAdapter(PageOf[api.Maker]))


def remove_maker(prefix: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/makers/{part(prefix)}", answer=TypeAdapter(type(None)))


def quiet_times(mac: str, *, days: float = 30, uplinks: bool = True) -> ApiListRequest[api.QuietTime]:
    """When it was missing where it was, earliest first."""
    return get_list(
        f"/endpoints/{part(mac)}/quiet-times", TypeAdapter(PageOf[api.QuietTime]), days=days, uplinks=uplinks
    )


def reading_pauses(mac: str, *, days: float = 30, uplinks: bool = True) -> ApiListRequest[api.ReadingPause]:
    """When its switch was read too seldom to know that it was there, earliest first."""
    return get_list(
        f"/endpoints/{part(mac)}/reading-pauses",
        TypeAdapter(PageOf[api.ReadingPause]),
        days=days,
        uplinks=uplinks,
    )


def homes(mac: str, *, days: float = 30) -> ApiListRequest[api.HomeInterval]:
    """Where it was at home over time, earliest first."""
    return get_list(f"/endpoints/{part(mac)}/homes", TypeAdapter(PageOf[api.HomeInterval]), days=days)


def ips(mac: str) -> ApiListRequest[api.IpStay]:
    """IP addresses and host names of an endpoint, latest first."""
    return get_list(f"/endpoints/{part(mac)}/ips", TypeAdapter(PageOf[api.IpStay]))


def search(text: str, *, limit: int = 50, at: datetime | None = None) -> ApiRequest[api.SearchResult]:
    """Endpoints, switches and ports; with `at` endpoints alone, by what they had and where they were then."""
    return get_request(
        "/search", TypeAdapter(api.SearchResult), q=text, limit=limit, at=at and at.isoformat()
    )


def endpoints(
    *,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    site: str | None = None,
    group: str | None = None,
    maker: str | None = None,
    lives: Sequence[str] = (),
    confidences: Sequence[str] = (),
    since: datetime | None = None,
    limit: int = 1000,
) -> ApiListRequest[api.Endpoint]:
    """Known endpoints by address; places are those of their homes. `since`: first seen at or after this."""
    given = {
        **{"switch": switch, "port": port, "vlan": vlan, "site": site, "group": group, "maker": maker},
        "life": list(lives) or None,
        "confidence": list(confidences) or None,
        "since": since and since.isoformat(),
    }
    return get_list("/endpoints", TypeAdapter(PageOf[api.Endpoint]), limit=limit, **given)


def endpoint(mac: str, *, at: datetime | None = None) -> ApiRequest[api.Endpoint]:
    return get_request(f"/endpoints/{part(mac)}", TypeAdapter(api.Endpoint), at=at and at.isoformat())


def stays(
    *,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    mac: str | None = None,
    ended: bool = False,
    at: datetime | None = None,
    uplinks: bool = True,
    limit: int = 100,
) -> ApiListRequest[api.Stay]:
    """Who is at a switch, port or VLAN; with `ended` also who was, with `at` who was there then."""
    return get_list(
        "/stays",
        TypeAdapter(PageOf[api.Stay]),
        switch=switch,
        port=port,
        vlan=vlan,
        mac=mac,
        ended=ended or None,
        at=at and at.isoformat(),
        uplinks=None if uplinks else False,
        limit=limit,
    )
