"""Endpoints: listed, found by fragment, looked at one by one; and who is on a switch, port or VLAN."""

from collections.abc import Sequence
from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.core.errors import NotFound
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import parse_prefix
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service import past
from kiteroll.service.answers import endpoint_answers, stay_answer
from kiteroll.service.answers_of_events import ip_answer, quiet_answer
from kiteroll.service.answers_of_switches import neighbour_answer
from kiteroll.service.api.common import ERRORS, AsOf, Cursor, Limit, Running, WithUplinks, port_id
from kiteroll.service.life import Service
from kiteroll.service.search import find
from kiteroll.store import inventory, makers, names, neighbours, places
from kiteroll.store.gathered import kept_endpoints
from kiteroll.store.quiet import quiet_times

router = APIRouter(tags=["endpoints"], responses=ERRORS)
_MOST_QUIET = 1000
"""Quiet times told at once, the latest."""


@router.get("/find", summary="What a text may mean: a fragment of an address, a switch, a port")
def find_anything(
    service: Running,
    q: Annotated[
        str,
        Query(min_length=1, max_length=4000, description="any part of an address, any notation; or a list"),
    ],
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
    at: AsOf = None,
) -> api.Found:
    return find(service, q, limit, past.instant(service, at))


@router.get("/endpoints", summary="Every known endpoint, by address")
def list_endpoints(service: Running, cursor: Cursor = None, limit: Limit = 100) -> PageOf[api.Endpoint]:
    page = service.database.run(places.endpoints_page, cursor=cursor, limit=limit)
    return PageOf(items=answers_of(service, [mac for mac, _ in page.items]), next=page.next)


def answers_of(service: Service, macs: Sequence[MacAddress]) -> list[api.Endpoint]:
    """The known ones among these addresses, in their order."""
    kept = service.database.run(kept_endpoints, macs)
    return endpoint_answers(kept, service.topology.get(), service.maker_of)


@router.get("/endpoints/{mac}", summary="One endpoint and where it is")
def get_endpoint(service: Running, mac: str, at: AsOf = None) -> api.Endpoint:
    address = MacAddress.parse(mac)
    if (then := past.instant(service, at)) is not None:
        return past.endpoint_at(service, address, then)
    found = answers_of(service, [address])
    if not found:
        raise NotFound("endpoint", str(address), "no switch has ever told of this address")
    return found[0]


@router.patch("/endpoints/{mac}", summary="What operators say of it: label, owner, notes")
def change_endpoint(service: Running, mac: str, change: api.EndpointChange) -> api.Endpoint:
    address = MacAddress.parse(mac)
    values = change.model_dump(exclude_none=True)
    service.database.run(places.change_endpoint, address, values)
    return get_endpoint(service, mac)


@router.get("/endpoints/{mac}/way", summary="Hop by hop from a switch to where it hangs")
def get_way(
    service: Running,
    mac: str,
    start: Annotated[
        str | None, Query(description="where to begin; the switch furthest away unless given")
    ] = None,
    at: AsOf = None,
) -> list[api.Hop]:
    address = MacAddress.parse(mac)
    if (then := past.instant(service, at)) is not None:
        return past.way_at(service, address, start, then)
    rows = service.database.run(places.places_of, [address])[address]
    return past.ways(rows, service.topology.get(), start)


@router.get("/endpoints/{mac}/quiet", summary="When it was not heard where it was, earliest first")
def list_quiet_times(
    service: Running,
    mac: str,
    days: Annotated[float, Query(gt=0, le=400, description="how far back")] = 30,
    uplinks: WithUplinks = True,
) -> list[api.QuietTime]:
    now = service.clock.now()
    found = service.database.run(quiet_times, [MacAddress.parse(mac)], now - timedelta(days=days), now)
    if not uplinks:
        leads_to = service.topology.get().topology.leads_to
        found = [one for one in found if not leads_to((one.place.switch, one.place.port))]
    return [quiet_answer(one) for one in found[-_MOST_QUIET:]]


@router.get("/endpoints/{mac}/ips", summary="IP addresses and host names of an endpoint over time")
def list_ips(
    service: Running, mac: str, limit: Annotated[int, Query(ge=1, le=1000)] = 100
) -> list[api.IpStay]:
    rows = service.database.run(names.ip_history, MacAddress.parse(mac), limit)
    return [ip_answer(row) for row in rows]


@router.get("/makers", summary="The operator's own prefixes and their makers")
def list_makers(service: Running) -> list[api.Maker]:
    return service.makers.listed()


@router.put("/makers", summary="Add or replace prefixes; all of them or none")
def keep_makers(service: Running, given: api.NewMakers) -> list[api.Maker]:
    kept = {parse_prefix(prefix): maker for prefix, maker in given.makers.items()}
    service.database.run(makers.keep_makers, kept)
    service.makers.reload()
    return service.makers.listed()


@router.delete("/makers/{prefix}", status_code=204, summary="Remove a prefix")
def remove_maker(service: Running, prefix: str) -> Response:
    if not service.database.run(makers.remove_maker, parse_prefix(prefix)):
        raise NotFound("prefix", prefix, "`kiteroll maker list` shows those there are")
    service.makers.reload()
    return Response(status_code=204)


@router.get(
    "/candidates", summary="Neighbours that are bridges and not in the inventory: offered, never added"
)
def list_candidates(service: Running) -> list[api.Neighbour]:
    rows = service.database.run(neighbours.neighbours_of)
    return [neighbour_answer(row) for row in rows if row.known_as is None and "bridge" in row.capabilities]


@router.get("/stays", summary="Who is (open) or ever was (all) at a switch, port or VLAN")
def list_stays(
    service: Running,
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
    of_switch = at_port = None
    if port is not None:
        if switch is None:
            raise NotFound("port", port, "say of which switch: ?switch=NAME&port=NAME")
        at_port = port_id(service, switch, port)
    elif switch is not None:
        of_switch = service.database.run(inventory.get_switch, switch).id
    then = past.instant(service, at)
    layout = service.topology.get() if then is None else service.topology.at(then)
    filters = places.Filters(
        switch_id=of_switch,
        port_id=at_port,
        vlan=vlan,
        mac=None if mac is None else MacAddress.parse(mac),
        open_only=not ended,
        at=then,
        without_ports=frozenset() if uplinks else layout.uplink_ids,
    )
    page = service.database.run(places.stays_page, filters, cursor=cursor, limit=limit, newest_first=ended)
    if then is not None:
        rows = past.all_as_of(service, page.items, then)
        return PageOf(items=[stay_answer(row, layout) for row in rows], next=page.next)
    return PageOf(items=[stay_answer(row, layout) for row in page.items], next=page.next)
