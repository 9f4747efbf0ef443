"""Endpoints: searched, listed, looked at one by one; and who is on a switch, port or VLAN."""

from datetime import timedelta
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response

from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import (
    TheEndpointHistory,
    TheEndpointList,
    TheEndpoints,
    TheLabels,
    TheMakers,
    ThePaths,
    TheSearch,
)
from kiteroll.api.parameters import AsOf, Days, WithUplinks
from kiteroll.api.presenters.endpoints import (
    present_endpoint,
    present_home_interval,
    present_hop,
    present_ip,
    present_label,
    present_quiet_time,
    present_reading_pause,
    present_stay,
)
from kiteroll.api.presenters.switches import present_port, present_switch
from kiteroll.app.queries.endpoint_list import EndpointFilter
from kiteroll.app.queries.endpoints import StayFilter
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import parse_prefix
from kiteroll.schemas import api
from kiteroll.schemas.base import Instant, PageOf

router = APIRouter(tags=["endpoints"])
_MOST_IPS = 10_000


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
        never_seen=[present_label(one, seen=False) for one in found.never_seen],
        texts=[
            api.SearchedText(
                text=one.text, macs=list(map(str, one.macs)), switches=one.switches, problem=one.problem
            )
            for one in found.texts
        ],
    )


@router.get("/endpoints", summary="Known endpoints, by address; places are those of their homes")
def list_endpoints(
    ask: Annotated[PageAsk, by("mac", "first_seen_at", "label", "owner")],
    endpoints: TheEndpointList,
    switch: Annotated[str | None, Query(description="a name, or a pattern: quay-*")] = None,
    port: Annotated[str | None, Query(description="a port's name; needs `switch`")] = None,
    vlan: Annotated[int | None, Query(ge=1, le=4094)] = None,
    site: str | None = None,
    group: Annotated[str | None, Query(description="of switches")] = None,
    maker: Annotated[str | None, Query(min_length=2, description="a part of its name")] = None,
    life: Annotated[
        list[Literal["present", "quiet", "gone"]] | None,
        Query(description="present: learned now; quiet: nowhere at the moment; gone: no more"),
    ] = None,
    confidence: Annotated[list[Literal["sure", "likely", "doubtful", "none"]] | None, Query()] = None,
    since: Annotated[Instant | None, Query(description="first seen at or after this instant")] = None,
) -> PageOf[api.Endpoint]:
    """A page may hold fewer rows than `limit` and still have a next one: read on until `next` is null."""
    wanted = EndpointFilter(
        switch=switch,
        port=port,
        vlan=vlan,
        site=site,
        group=group,
        maker=maker,
        lives=tuple(life or ()),
        confidences=tuple(confidence or ()),
        since=since,
    )
    found = endpoints.page(wanted, ask)
    return PageOf(items=[present_endpoint(one) for one in found.items], next=found.next)


@router.get("/endpoints/{mac}", summary="One endpoint and where it is")
def get_endpoint(endpoints: TheEndpoints, mac: str, at: AsOf = None) -> api.Endpoint:
    return present_endpoint(endpoints.get(MacAddress.parse(mac), at))


@router.patch("/endpoints/{mac}", summary="Set label, owner or notes")
def change_endpoint(
    endpoints: TheEndpoints, labels: TheLabels, mac: str, change: api.EndpointChange
) -> api.Endpoint:
    wanted = MacAddress.parse(mac)
    endpoints.label(wanted)  # one that was never seen has a label alone: /labels
    labels.change({wanted: change.model_dump(exclude_none=True)})
    return present_endpoint(endpoints.get(wanted, None))


@router.get("/endpoints/{mac}/path", summary="Hop by hop from a switch to where it attaches")
def get_path(
    ask: Annotated[PageAsk, by()],
    paths: ThePaths,
    mac: str,
    start: Annotated[
        str | None,
        Query(
            description="where to begin: a switch, or another endpoint by its address, IP, host name or "
            "label; the switch furthest away unless given"
        ),
    ] = None,
    at: AsOf = None,
) -> PageOf[api.Hop]:
    rows = [present_hop(hop) for hop in paths.to(MacAddress.parse(mac), start, at)]
    return page(rows, ask, "switch", "port")


@router.get("/endpoints/{mac}/quiet-times", summary="When it was missing where it was, earliest first")
def list_quiet_times(
    ask: Annotated[PageAsk, by("began_at")],
    history: TheEndpointHistory,
    mac: str,
    days: Days = 30,
    uplinks: WithUplinks = True,
) -> PageOf[api.QuietTime]:
    found = history.quiet_times(MacAddress.parse(mac), timedelta(days=days), uplinks=uplinks)
    rows = [present_quiet_time(one) for one in found]
    return page(rows, ask, "began_at", "switch", "port", "vlan")


@router.get(
    "/endpoints/{mac}/reading-pauses",
    summary="When its switch was read too seldom to know that it was there, earliest first",
)
def list_reading_pauses(
    ask: Annotated[PageAsk, by("began_at")],
    history: TheEndpointHistory,
    mac: str,
    days: Days = 30,
    uplinks: WithUplinks = True,
) -> PageOf[api.ReadingPause]:
    found = history.reading_pauses(MacAddress.parse(mac), timedelta(days=days), uplinks=uplinks)
    rows = [present_reading_pause(one) for one in found]
    return page(rows, ask, "began_at", "switch", "port", "vlan")


@router.get("/endpoints/{mac}/homes", summary="Where it was at home over time, earliest first")
def list_homes(
    ask: Annotated[PageAsk, by("since")], history: TheEndpointHistory, mac: str, days: Days = 30
) -> PageOf[api.HomeInterval]:
    address = MacAddress.parse(mac)
    found = history.homes(address, timedelta(days=days))
    rows = [present_home_interval(address, one) for one in found]
    return page(rows, ask, "since")


@router.get("/endpoints/{mac}/ips", summary="IP addresses and host names of an endpoint over time")
def list_ips(
    ask: Annotated[PageAsk, by("began_at")], history: TheEndpointHistory, mac: str
) -> PageOf[api.IpStay]:
    rows = [present_ip(row) for row in history.ips(MacAddress.parse(mac), _MOST_IPS)]
    return page(rows, ask, "ip", "began_at")


@router.get("/stays", summary="Who is (open) or ever was (ended) at a switch, port or VLAN")
def list_stays(
    ask: Annotated[PageAsk, by("mac", "began_at")],
    endpoints: TheEndpoints,
    switch: str | None = None,
    port: Annotated[str | None, Query(description="a port's name; needs `switch`")] = None,
    vlan: Annotated[int | None, Query(ge=1, le=4094)] = None,
    mac: str | None = None,
    ended: Annotated[bool, Query(description="ended stays too, latest begun first")] = False,
    at: AsOf = None,
    uplinks: WithUplinks = True,
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
    found = endpoints.stays(wanted, ask)
    return PageOf(items=[present_stay(one) for one in found.items], next=found.next)


@router.get("/makers", summary="The operator's own prefixes and their makers")
def list_makers(ask: Annotated[PageAsk, by("prefix", "maker")], makers: TheMakers) -> PageOf[api.Maker]:
    rows = [api.Maker(prefix=prefix, maker=maker) for prefix, maker in makers.own_prefixes().items()]
    return page(rows, ask, "prefix")


@router.patch("/makers", summary="Add or replace prefixes; all of them or none")
def add_makers(makers: TheMakers, given: api.NewMakers) -> PageOf[api.Maker]:
    added = {parse_prefix(prefix): maker for prefix, maker in given.makers.items()}
    makers.add(added)
    return PageOf(items=[api.Maker(prefix=prefix, maker=maker) for prefix, maker in added.items()])


@router.get("/makers/{prefix}", summary="The maker of one of the operator's own prefixes")
def get_maker(makers: TheMakers, prefix: str) -> api.Maker:
    known, maker = makers.own_prefix(prefix)
    return api.Maker(prefix=known, maker=maker)


@router.delete("/makers/{prefix}", status_code=204, summary="Remove a prefix")
def remove_maker(makers: TheMakers, prefix: str) -> Response:
    if not makers.remove(parse_prefix(prefix)):
        raise NotFound("prefix", prefix, "`kiteroll maker list` shows those there are")
    return Response(status_code=204)
