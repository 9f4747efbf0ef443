"""Switches: the inventory, their ports and VLANs, reading one now."""

import asyncio
from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheClock, TheInventory, ThePorts, TheReads, TheRollCalls, TheSwitches
from kiteroll.api.parameters import AsOf, Days
from kiteroll.api.presenters.history import present_outcome
from kiteroll.api.presenters.rules import present_roll_call
from kiteroll.api.presenters.switches import (
    present_neighbour,
    present_port,
    present_switch,
)
from kiteroll.api.routes.credentials import chosen_access
from kiteroll.app.inventory import SwitchGiven
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/switches", tags=["switches"])
_MOST_CHANGES = 10_000
_ACCESS = {"credential", "access"}


@router.get("", summary="The inventory, by name")
def list_switches(
    ask: Annotated[PageAsk, by("name", "site", "host")],
    switches: TheSwitches,
    site: str | None = None,
    group: str | None = None,
) -> PageOf[api.Switch]:
    found = switches.page(ask, site, group)
    return PageOf(items=[present_switch(one) for one in found.items], next=found.next)


@router.post("", status_code=201, summary="Add a switch; its first reading begins at once")
async def add_switch(
    response: Response, inventory: TheInventory, switches: TheSwitches, new: api.NewSwitch
) -> api.Switch:
    row = await inventory.add_switch(
        new.model_dump(exclude=_ACCESS), chosen_access(new.access, new.credential)
    )
    located(response, "switches", row.name)
    return await asyncio.to_thread(get_switch, switches, row.name)


@router.patch("", summary="Add and change many switches; all of them or none")
async def change_switches(inventory: TheInventory, given: api.InventoryChanges) -> api.InventoryOutcome:
    added = [
        SwitchGiven(one.model_dump(exclude=_ACCESS), chosen_access(one.access, one.credential))
        for one in given.add
    ]
    changed = {
        name: SwitchGiven(
            one.model_dump(exclude_none=True, exclude=_ACCESS), chosen_access(one.access, one.credential)
        )
        for name, one in given.change.items()
    }
    await inventory.change_many(added, changed, dry_run=given.dry_run)
    return api.InventoryOutcome(
        applied=not given.dry_run, added=[one.name for one in given.add], changed=list(given.change)
    )


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
def list_ports(
    ask: Annotated[PageAsk, by("number", "name", "alias", "present", "quiet", "speed_bps")],
    ports: ThePorts,
    name: str,
    at: AsOf = None,
) -> PageOf[api.Port]:
    rows = [present_port(one) for one in ports.of_switch(name, at)]
    return page(rows, ask, "name")


@router.get("/{name}/ports/{port:path}/address-counts", summary="How many addresses were on a port over time")
def list_address_counts(
    ask: Annotated[PageAsk, by("at")], ports: ThePorts, name: str, port: str, days: Days = 7
) -> PageOf[api.CountPoint]:
    counts = ports.address_counts(name, port, timedelta(days=days))
    rows = [api.CountPoint(at=at, count=count) for at, count in counts]
    return page(rows, ask, "at")


@router.get("/{name}/ports/{port:path}/link-history", summary="What became of a port's link, latest first")
def list_link_history(
    ports: ThePorts,
    name: str,
    port: str,
    ask: Annotated[PageAsk, by("at")],
    days: Days = 7,
) -> PageOf[api.LinkChange]:
    found = ports.link_history(name, port, timedelta(days=days), _MOST_CHANGES)
    rows = [api.LinkChange(at=one.at, oper=one.oper) for one in found]  # type: ignore[arg-type]  # from Oper
    return page(rows, ask, "at")


@router.get("/{name}/ports/{port:path}/roll-call", summary="Who is on a port, beside who may be")
def get_roll_call(roll_calls: TheRollCalls, clock: TheClock, name: str, port: str) -> api.RollCall:
    return present_roll_call(roll_calls.port(name, port), clock.now())


@router.get("/{name}/ports/{port:path}", summary="One port")
def get_port(ports: ThePorts, name: str, port: str, at: AsOf = None) -> api.Port:
    return present_port(ports.get(name, port, at))


@router.patch("/{name}/ports/{port:path}", summary="Set what a port is: uplink or access")
def change_port(ports: ThePorts, name: str, port: str, change: api.PortChange) -> api.Port:
    return present_port(ports.set_role(name, port, change.role))


@router.get("/{name}/vlans", summary="Its VLANs")
def list_vlans(
    ask: Annotated[PageAsk, by("id", "name")], switches: TheSwitches, name: str
) -> PageOf[api.Vlan]:
    rows = [api.Vlan(id=number, name=text) for number, text in switches.vlans(name)]
    return page(rows, ask, "id")


@router.get("/{name}/neighbours", summary="Devices that announce themselves at its ports (LLDP)")
def list_neighbours(
    ask: Annotated[PageAsk, by("port", "name", "seen_at")], switches: TheSwitches, name: str
) -> PageOf[api.Neighbour]:
    rows = [present_neighbour(row) for row in switches.neighbours(name)]
    return page(rows, ask, "port", "chassis", "far_port")


@router.post("/{name}/readings", summary="Read it now, or right after; answers when the reading is stored")
async def read_now(reads: TheReads, name: str) -> api.ReadingSummary:
    return present_outcome(await reads.read_next(name))
