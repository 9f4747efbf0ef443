"""Switches: the inventory, their ports and VLANs, reading one now."""

import asyncio

from fastapi import APIRouter, Response

from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service import past
from kiteroll.service.answers_of_events import attempt_answer
from kiteroll.service.answers_of_switches import SwitchView, neighbour_answer, port_answer
from kiteroll.service.api.common import ERRORS, AsOf, Cursor, Limit, Running
from kiteroll.store import inventory, neighbours, overview, topology
from kiteroll.store.inventory import SwitchRow

router = APIRouter(prefix="/switches", tags=["switches"], responses=ERRORS)


@router.get("", summary="The inventory, by name")
def list_switches(service: Running, cursor: Cursor = None, limit: Limit = 100) -> PageOf[api.Switch]:
    page = service.database.run(overview.switches_page, cursor=cursor, limit=limit)
    view = SwitchView(service.database, service.clock.now())
    return PageOf(items=[view.answer(row, service.present(row)) for row in page.items], next=page.next)


@router.post("", status_code=201, summary="Add a switch; its first reading begins at once")
async def add_switch(service: Running, new: api.NewSwitch) -> api.Switch:
    row = await service.stock.add_switch(new)
    return await asyncio.to_thread(_answer, service, row)


@router.get("/{name}", summary="One switch")
def get_switch(service: Running, name: str) -> api.Switch:
    return _answer(service, service.database.run(inventory.get_switch, name))


@router.patch("/{name}", summary="Change what is given, leave the rest")
async def change_switch(service: Running, name: str, change: api.SwitchChange) -> api.Switch:
    row = await service.stock.change_switch(name, change)
    return await asyncio.to_thread(_answer, service, row)


@router.delete("/{name}", status_code=204, summary="Take it out of the inventory; its history stays")
async def remove_switch(service: Running, name: str) -> Response:
    await service.stock.remove_switch(name)
    return Response(status_code=204)


@router.get("/{name}/ports", summary="Its ports, with how many addresses are on each")
def list_ports(service: Running, name: str, at: AsOf = None) -> list[api.Port]:
    row = service.database.run(inventory.get_switch, name)
    if (then := past.instant(service, at)) is not None:
        return past.ports_at(service, row, then)
    layout = service.topology.get()
    return [port_answer(port, layout) for port in service.database.run(overview.ports_of, row.id)]


@router.patch("/{name}/ports/{port:path}", summary="Say what a port is: uplink or access")
def change_port(service: Running, name: str, port: str, change: api.PortChange) -> list[api.Port]:
    row = service.database.run(inventory.get_switch, name)
    service.database.run(topology.set_role, row.id, port, change.role)
    service.topology.look()
    return [one for one in list_ports(service, name) if one.name == port]


@router.get("/{name}/vlans", summary="Its VLANs")
def list_vlans(service: Running, name: str) -> list[api.Vlan]:
    row = service.database.run(inventory.get_switch, name)
    return [api.Vlan(id=vlan, name=text) for vlan, text in service.database.run(overview.vlans_of, row.id)]


@router.get("/{name}/neighbours", summary="Who told of itself at its ports (LLDP)")
def list_neighbours(service: Running, name: str) -> list[api.Neighbour]:
    row = service.database.run(inventory.get_switch, name)
    return [neighbour_answer(one) for one in service.database.run(neighbours.neighbours_of, row.id)]


@router.post("/{name}/readings", summary="Read it now; answers when the reading is kept")
async def read_now(service: Running, name: str) -> api.ReadingSummary:
    attempt = await service.read_now(name)
    return attempt_answer(attempt)


def _answer(service: Running, row: SwitchRow) -> api.Switch:
    return SwitchView(service.database, service.clock.now()).answer(row, service.present(row))
