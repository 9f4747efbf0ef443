"""Across switches: the map, VLANs, and neighbours that could be added."""

from typing import Annotated

from fastapi import APIRouter

from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheMap, TheSwitches, TheVlans
from kiteroll.api.parameters import AsOf
from kiteroll.api.presenters.switches import present_link, present_neighbour, present_vlan
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["network"])


@router.get("/map", summary="The switches, and the links between them")
def get_map(network: TheMap, at: AsOf = None) -> api.NetworkMap:
    """With `at`: links as they were known then; switches are those of now."""
    view = network.view(at)
    return api.NetworkMap(
        switches=[
            api.MapSwitch(
                name=one.row.name,
                site=one.row.site,
                health=one.health.value,
                healthy=one.health.is_healthy,
                present=one.present,
                findings=findings,
            )
            for one, findings in view.switches
        ],
        links=[present_link(link) for link in view.links],
    )


@router.get("/vlans", summary="VLANs across switches")
def list_all_vlans(ask: Annotated[PageAsk, by("id", "present")], vlans: TheVlans) -> PageOf[api.VlanSummary]:
    rows = [present_vlan(row) for row in vlans.all()]
    return page(rows, ask, "id")


@router.get("/vlans/{number}/ports", summary="Ports that carry a VLAN")
def list_vlan_ports(
    ask: Annotated[PageAsk, by("switch", "port")], vlans: TheVlans, number: int
) -> PageOf[api.VlanPort]:
    rows = [
        api.VlanPort(
            switch=row.switch,
            port=row.port,
            alias=row.alias,
            tagged=row.tagged,
            default=row.default,
            oper=row.oper,  # type: ignore[arg-type]  # written from Oper
        )
        for row in vlans.ports_of(number)
    ]
    return page(rows, ask, "switch", "port")


@router.get(
    "/discovered-switches", summary="Neighbouring bridges outside the inventory: offered, never added"
)
def list_discovered_switches(
    ask: Annotated[PageAsk, by("name", "switch", "seen_at")], switches: TheSwitches
) -> PageOf[api.Neighbour]:
    rows = [present_neighbour(row) for row in switches.discovered()]
    return page(rows, ask, "switch", "port", "chassis")
