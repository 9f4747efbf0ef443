"""Across switches: the map, VLANs, and neighbours that could be added."""

from fastapi import APIRouter

from kiteroll.api.dependencies import TheMap, TheSwitches, TheVlans
from kiteroll.api.parameters import ERRORS
from kiteroll.api.presenters.switches import present_neighbour, present_vlan
from kiteroll.schemas import api
from kiteroll.wording.topology import role_text

router = APIRouter(tags=["network"], responses=ERRORS)


@router.get("/map", summary="The switches, and the links between them")
def get_map(network: TheMap) -> api.NetworkMap:
    view = network.view()
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
        links=[
            api.MapLink(
                a=link.here[0],
                a_port=link.here[1],
                b=link.far_switch,
                b_port=link.far_port,
                why=role_text(link.role),
            )
            for link in view.links
        ],
    )


@router.get("/vlans", summary="VLANs across switches")
def list_all_vlans(vlans: TheVlans) -> list[api.VlanSummary]:
    return [present_vlan(row) for row in vlans.all()]


@router.get("/vlans/{number}/ports", summary="Ports that carry a VLAN")
def list_vlan_ports(vlans: TheVlans, number: int) -> list[api.VlanPort]:
    return [
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


@router.get(
    "/discovered-switches", summary="Neighbouring bridges outside the inventory: offered, never added"
)
def list_discovered_switches(switches: TheSwitches) -> list[api.Neighbour]:
    return [present_neighbour(row) for row in switches.discovered()]
