"""Links to devices by templates, and queries that people keep."""

from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheDeviceLinks, TheEndpoints, TheSavedQueries, TheSwitches
from kiteroll.app.device_links import OF_ENDPOINT, OF_SWITCH, DeviceLink
from kiteroll.app.saved_queries import SavedQueryRow
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.types import Name

router = APIRouter(tags=["links"])


@router.get("/device-links", summary="Templates of links to switches and endpoints, by name")
def list_device_links(
    ask: Annotated[PageAsk, by("name", "of")], links: TheDeviceLinks
) -> PageOf[api.DeviceLink]:
    return page([_present(one) for one in links.all()], ask, "name")


@router.get("/device-links/{name}", summary="One template")
def get_device_link(links: TheDeviceLinks, name: str) -> api.DeviceLink:
    return _present(links.get(name))


@router.put("/device-links/{name}", summary="Add or replace a template")
def set_device_link(links: TheDeviceLinks, name: Name, given: api.DeviceLinkText) -> api.DeviceLink:
    link = DeviceLink(name, given.of, given.template)
    links.set(link)
    return _present(link)


@router.delete("/device-links/{name}", status_code=204, summary="Remove a template")
def remove_device_link(links: TheDeviceLinks, name: str) -> Response:
    links.remove(name)
    return Response(status_code=204)


@router.get("/switches/{name}/links", summary="Links to a switch")
def list_switch_links(
    ask: Annotated[PageAsk, by("name")], links: TheDeviceLinks, switches: TheSwitches, name: str
) -> PageOf[api.DeviceUrl]:
    row = switches.get(name).row
    address = row.host if row.source == "snmp" else ""
    made = links.urls(OF_SWITCH, {"address": address, "name": row.name, "site": row.site})
    return page([api.DeviceUrl(name=label, url=url) for label, url in made], ask, "name")


@router.get("/endpoints/{mac}/links", summary="Links to an endpoint")
def list_endpoint_links(
    ask: Annotated[PageAsk, by("name")], links: TheDeviceLinks, endpoints: TheEndpoints, mac: str
) -> PageOf[api.DeviceUrl]:
    view = endpoints.get(MacAddress.parse(mac), None)
    place = None if view.home_place is None else view.home_place.row.stay.place
    values = {
        "ip": next(iter(view.record.ips), ""),
        "mac": str(view.mac),
        "host_name": next(iter(view.record.names), ""),
        "switch": place.switch if place else "",
        "port": place.port if place else "",
    }
    made = links.urls(OF_ENDPOINT, values)
    return page([api.DeviceUrl(name=label, url=url) for label, url in made], ask, "name")


@router.get("/saved-queries", summary="Queries one keeps, and those that others share, by name")
def list_saved_queries(
    ask: Annotated[PageAsk, by("name", "owner", "saved_at")],
    queries: TheSavedQueries,
    principal: ThePrincipal,
) -> PageOf[api.SavedQuery]:
    rows = [_present_query(row, principal.name) for row in queries.all(principal.name)]
    return page(rows, ask, "id")


@router.post("/saved-queries", status_code=201, summary="Keep a query: a path of the console")
def add_saved_query(
    response: Response, queries: TheSavedQueries, principal: ThePrincipal, new: api.SavedQueryText
) -> api.SavedQuery:
    row = queries.add(principal.name, new.name, new.path, shared=new.shared)
    located(response, "saved-queries", row.id)
    return _present_query(row, principal.name)


@router.get("/saved-queries/{number}", summary="One query")
def get_saved_query(queries: TheSavedQueries, principal: ThePrincipal, number: int) -> api.SavedQuery:
    return _present_query(queries.get(number, principal.name), principal.name)


@router.put("/saved-queries/{number}", summary="Change a query of one's own")
def set_saved_query(
    queries: TheSavedQueries, principal: ThePrincipal, number: int, given: api.SavedQueryText
) -> api.SavedQuery:
    row = queries.change(number, principal.name, given.name, given.path, shared=given.shared)
    return _present_query(row, principal.name)


@router.delete("/saved-queries/{number}", status_code=204, summary="Keep a query no longer")
def remove_saved_query(queries: TheSavedQueries, principal: ThePrincipal, number: int) -> Response:
    queries.remove(number, principal.name)
    return Response(status_code=204)


def _present(one: DeviceLink) -> api.DeviceLink:
    return api.DeviceLink(name=one.name, of=one.of, template=one.template)  # type: ignore[arg-type]  # checked


def _present_query(row: SavedQueryRow, account: str) -> api.SavedQuery:
    return api.SavedQuery(
        id=row.id,
        name=row.name,
        path=row.path,
        owner=row.owner,
        shared=row.shared,
        own=row.owner == account,
        saved_at=row.saved_at,
    )
