"""Endpoints: listed, found by fragment, looked at one by one; and who is on a switch, port or VLAN."""

from typing import Annotated

from fastapi import APIRouter, Query

from kiteroll.core.errors import NotFound
from kiteroll.core.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service.answers import endpoint_answers, neighbour_answer, stay_answer
from kiteroll.service.api.common import ERRORS, Cursor, Limit, Running, WithUplinks
from kiteroll.service.search import find
from kiteroll.store import inventory, neighbours, places, record

router = APIRouter(tags=["endpoints"], responses=ERRORS)


@router.get("/find", summary="What a text may mean: a fragment of an address, a switch, a port")
def find_anything(
    service: Running,
    q: Annotated[
        str, Query(min_length=1, max_length=200, description="any notation, any part of an address")
    ],
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> api.Found:
    return find(service, q, limit)


@router.get("/endpoints", summary="Every known endpoint, by address")
def list_endpoints(service: Running, cursor: Cursor = None, limit: Limit = 100) -> PageOf[api.Endpoint]:
    page = service.database.run(places.endpoints_page, cursor=cursor, limit=limit)
    first_seen = dict(page.items)
    items = endpoint_answers(service.database, list(first_seen), first_seen, service.uplinks.get())
    return PageOf(items=items, next=page.next)


@router.get("/endpoints/{mac}", summary="One endpoint and where it is")
def get_endpoint(service: Running, mac: str) -> api.Endpoint:
    address = MacAddress.parse(mac)
    seen = service.database.run(places.first_seen, [address])
    if address not in seen:
        raise NotFound("endpoint", str(address), "no switch has ever told of this address")
    (answer,) = endpoint_answers(service.database, [address], seen, service.uplinks.get())
    return answer


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
    uplinks: WithUplinks = True,
    cursor: Cursor = None,
    limit: Limit = 200,
) -> PageOf[api.Stay]:
    switch_id = port_id = None
    if switch is not None:
        switch_id = service.database.run(inventory.get_switch, switch).id
    if port is not None:
        if switch_id is None:
            raise NotFound("port", port, "say of which switch: ?switch=NAME&port=NAME")
        port_id = service.database.run(record.port_ids, switch_id).get(port)
        if port_id is None:
            raise NotFound("port", port, f"`kiteroll on switch {switch}` shows the ports of {switch}")
    filters = places.Filters(
        switch_id=switch_id,
        port_id=port_id,
        vlan=vlan,
        mac=None if mac is None else MacAddress.parse(mac),
        open_only=not ended,
        without_ports=frozenset() if uplinks else service.uplinks.port_ids(),
    )
    page = service.database.run(places.stays_page, filters, cursor=cursor, limit=limit, newest_first=ended)
    leading = service.uplinks.get()
    return PageOf(items=[stay_answer(row, leading) for row in page.items], next=page.next)
