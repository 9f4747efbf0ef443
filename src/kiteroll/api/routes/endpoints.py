"""Endpoints: searched, listed, looked at one by one; and who is on a switch, port or VLAN."""

from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.dependencies import TheEndpoints, TheMakers, TheSearch
from kiteroll.api.parameters import ERRORS, AsOf, Cursor, Days, Limit, WithUplinks
from kiteroll.api.presenters.endpoints import (
    present_endpoint,
    present_home_interval,
    present_hop,
    present_ip,
    present_quiet_time,
    present_stay,
)
from kiteroll.api.presenters.switches import present_port, present_switch
from kiteroll.app.queries.endpoints import StayFilter
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import parse_prefix
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["endpoints"], responses=ERRORS)


@router.get("/search", summary="What a text may mean: a fragment of an address, a switch, a port")
def search(
    search: TheSearch,
    q: Annotated[
        str,
        Query(min_length=1, max_length=4000, description="any part of an address, any notation; or a list"),
    ],
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
    at: AsOf = None,
) -> api.SearchResult:
    found = search.find(q, limit, at)
    return api.SearchResult(
        query=found.query,
        endpoints=[present_endpoint(one) for one in found.endpoints],
        more=found.more,
        switches=[present_switch(one) for one in found.switches],
        ports=[present_port(one) for one in found.ports],
    )


@router.get("/endpoints", summary="Every known endpoint, by address")
def list_endpoints(
    endpoints: TheEndpoints, cursor: Cursor = None, limit: Limit = 100
) -> PageOf[api.Endpoint]:
    page = endpoints.page(cursor, limit)
    return PageOf(items=[present_endpoint(one) for one in page.items], next=page.next)


@router.get("/endpoints/{mac}", summary="One endpoint and where it is")
def get_endpoint(endpoints: TheEndpoints, mac: str, at: AsOf = None) -> api.Endpoint:
    return present_endpoint(endpoints.get(MacAddress.parse(mac), at))


@router.patch("/endpoints/{mac}", summary="Set label, owner or notes")
def change_endpoint(endpoints: TheEndpoints, mac: str, change: api.EndpointChange) -> api.Endpoint:
    return present_endpoint(endpoints.change(MacAddress.parse(mac), change.model_dump(exclude_none=True)))


@router.get("/endpoints/{mac}/path", summary="Hop by hop from a switch to where it attaches")
def get_path(
    endpoints: TheEndpoints,
    mac: str,
    start: Annotated[
        str | None, Query(description="where to begin; the switch furthest away unless given")
    ] = None,
    at: AsOf = None,
) -> list[api.Hop]:
    return [present_hop(hop) for hop in endpoints.path(MacAddress.parse(mac), start, at)]


@router.get("/endpoints/{mac}/quiet-times", summary="When it was missing where it was, earliest first")
def list_quiet_times(
    endpoints: TheEndpoints, mac: str, days: Days = 30, uplinks: WithUplinks = True
) -> list[api.QuietTime]:
    found = endpoints.quiet_times(MacAddress.parse(mac), timedelta(days=days), uplinks=uplinks)
    return [present_quiet_time(one) for one in found]


@router.get("/endpoints/{mac}/homes", summary="Where it was at home over time, earliest first")
def list_homes(endpoints: TheEndpoints, mac: str, days: Days = 30) -> list[api.HomeInterval]:
    address = MacAddress.parse(mac)
    found = endpoints.homes(address, timedelta(days=days))
    return [present_home_interval(address, one) for one in found]


@router.get("/endpoints/{mac}/ips", summary="IP addresses and host names of an endpoint over time")
def list_ips(
    endpoints: TheEndpoints, mac: str, limit: Annotated[int, Query(ge=1, le=1000)] = 100
) -> list[api.IpStay]:
    return [present_ip(row) for row in endpoints.ips(MacAddress.parse(mac), limit)]


@router.get("/stays", summary="Who is (open) or ever was (ended) at a switch, port or VLAN")
def list_stays(
    endpoints: TheEndpoints,
    switch: str | None = None,
    port: Annotated[str | None, Query(description="a port's name; needs `switch`")] = None,
    vlan: Annotated[int | None, Query(ge=1, le=4094)] = None,
    mac: str | None = None,
    ended: Annotated[bool, Query(description="ended stays too, latest begun first")] = False,
    at: AsOf = None,
    uplinks: WithUplinks = True,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Stay]:
    wanted = StayFilter(
        switch=switch,
        port=port,
        vlan=vlan,
        mac=None if mac is None else MacAddress.parse(mac),
        ended=ended,
        uplinks=uplinks,
        at=at,
    )
    page = endpoints.stays(wanted, cursor, limit)
    return PageOf(items=[present_stay(one) for one in page.items], next=page.next)


@router.get("/makers", summary="The operator's own prefixes and their makers")
def list_makers(makers: TheMakers) -> list[api.Maker]:
    return [api.Maker(prefix=prefix, maker=maker) for prefix, maker in makers.own_prefixes().items()]


@router.patch("/makers", summary="Add or replace prefixes; all of them or none")
def add_makers(makers: TheMakers, given: api.NewMakers) -> list[api.Maker]:
    makers.add({parse_prefix(prefix): maker for prefix, maker in given.makers.items()})
    return list_makers(makers)


@router.delete("/makers/{prefix}", status_code=204, summary="Remove a prefix")
def remove_maker(makers: TheMakers, prefix: str) -> Response:
    if not makers.remove(parse_prefix(prefix)):
        raise NotFound("prefix", prefix, "`kiteroll maker list` shows those there are")
    return Response(status_code=204)
