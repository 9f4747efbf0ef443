"""Switches: the inventory, their ports and VLANs, reading one now."""

import asyncio
from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.dependencies import TheClock, TheInventory, ThePorts, TheReads, TheRollCalls, TheSwitches
from kiteroll.api.parameters import ERRORS, AsOf, Cursor, Days, Limit
from kiteroll.api.presenters.history import present_outcome
from kiteroll.api.presenters.rules import present_roll_call
from kiteroll.api.presenters.switches import (
    present_neighbour,
    present_port,
    present_switch,
)
from kiteroll.api.routes.credentials import chosen_access
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/switches", tags=["switches"], responses=ERRORS)
_ACCESS = {"credential", "access"}


@router.get("", summary="The inventory, by name")
def list_switches(switches: TheSwitches, cursor: Cursor = None, limit: Limit = 100) -> PageOf[api.Switch]:
    page = switches.page(cursor, limit)
    return PageOf(items=[present_switch(one) for one in page.items], next=page.next)


@router.post("", status_code=201, summary="Add a switch; its first reading begins at once")
async def add_switch(inventory: TheInventory, switches: TheSwitches, new: api.NewSwitch) -> api.Switch:
    row = await inventory.add_switch(
        new.model_dump(exclude=_ACCESS), chosen_access(new.access, new.credential)
    )
    return await asyncio.to_thread(get_switch, switches, row.name)


@router.get("/{name}", summary="One switch")
def get_switch(switches: TheSwitches, name: str) -> api.Switch:
    return present_switch(switches.get(name))


@router.patch("/{name}", summary="Change what is given, leave the rest")
async def change_switch(
    inventory: TheInventory, switches: TheSwitches, name: str, change: api.SwitchChange
) -> api.Switch:
    given = change.model_dump(exclude_none=True, exclude=_ACCESS)
    row = await inventory.change_switch(name, given, chosen_access(change.access, change.credential))
    return await asyncio.to_thread(get_switch, switches, row.name)


@router.delete("/{name}", status_code=204, summary="Remove it from the inventory; its history stays")
async def remove_switch(inventory: TheInventory, name: str) -> Response:
    await inventory.remove_switch(name)
    return Response(status_code=204)


@router.get("/{name}/ports", summary="Its ports, with how many addresses are on each")
def list_ports(ports: ThePorts, name: str, at: AsOf = None) -> list[api.Port]:
    return [present_port(one) for one in ports.of_switch(name, at)]


@router.get("/{name}/ports/{port:path}/address-counts", summary="How many addresses were on a port over time")
def list_address_counts(ports: ThePorts, name: str, port: str, days: Days = 7) -> list[api.CountPoint]:
    counts = ports.address_counts(name, port, timedelta(days=days))
    return [api.CountPoint(at=at, count=count) for at, count in counts]


@router.get("/{name}/ports/{port:path}/link-history", summary="What became of a port's link, latest first")
def list_link_history(
    ports: ThePorts,
    name: str,
    port: str,
    days: Days = 7,
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> list[api.LinkChange]:
    found = ports.link_history(name, port, timedelta(days=days), limit)
    return [api.LinkChange(at=one.at, oper=one.oper) for one in found]  # type: ignore[arg-type]  # from Oper


@router.get("/{name}/ports/{port:path}/roll-call", summary="Who is on a port, beside who may be")
def get_roll_call(roll_calls: TheRollCalls, clock: TheClock, name: str, port: str) -> api.RollCall:
    return present_roll_call(roll_calls.port(name, port), clock.now())


@router.patch("/{name}/ports/{port:path}", summary="Set what a port is: uplink or access")
def change_port(ports: ThePorts, name: str, port: str, change: api.PortChange) -> api.Port:
    return present_port(ports.set_role(name, port, change.role))


@router.get("/{name}/vlans", summary="Its VLANs")
def list_vlans(switches: TheSwitches, name: str) -> list[api.Vlan]:
    return [api.Vlan(id=number, name=text) for number, text in switches.vlans(name)]


@router.get("/{name}/neighbours", summary="Devices that announce themselves at its ports (LLDP)")
def list_neighbours(switches: TheSwitches, name: str) -> list[api.Neighbour]:
    return [present_neighbour(row) for row in switches.neighbours(name)]


@router.post("/{name}/readings", summary="Read it now; answers when the reading is stored")
async def read_now(reads: TheReads, name: str) -> api.ReadingSummary:
    return present_outcome(await reads.read_now(name))
