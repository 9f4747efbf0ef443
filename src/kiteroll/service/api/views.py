"""Looks across switches: the map, VLANs, a port over time, and two instants compared."""

from collections import Counter
from datetime import datetime, timedelta
from typing import Annotated

from fastapi import APIRouter, Query

from kiteroll.core.compare import compare
from kiteroll.core.crowd import counts_over_time
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service.answers_of_events import compared_answer
from kiteroll.service.answers_of_switches import SwitchView
from kiteroll.service.api.common import ERRORS, Cursor, Limit, Running, port_id
from kiteroll.service.life import Service
from kiteroll.store import comparing, inventory, past, places, vlans

router = APIRouter(tags=["views"], responses=ERRORS)
_ALL_MACS = (1 << 48) - 1


@router.get("/map", summary="The switches, and the cables between them")
def get_map(service: Running) -> api.NetworkMap:
    rows = service.database.run(inventory.all_switches)
    view = SwitchView(service.database, service.clock.now())
    troubles = Counter(
        name
        for one in service.watchman.book.live().values()
        if one.state.value == "open" and not one.part_of
        for name in {switch for switch, _ in one.places} | {one.subject.switch}
        if name
    )
    topology = service.topology.get().topology
    links = []
    for (a, a_port), far in topology.links():
        b, b_port = (far, None) if isinstance(far, str) else far
        why = topology.role((a, a_port)).why
        links.append(api.MapLink(a=a, a_port=a_port, b=b, b_port=b_port, why=why))
    switches = [
        api.MapSwitch(
            name=row.name,
            site=row.site,
            health=view.answer(row).health,
            present=service.present(row),
            findings=troubles[row.name],
        )
        for row in sorted(rows, key=lambda row: row.name)
    ]
    return api.NetworkMap(switches=switches, links=links)


@router.get("/vlans", summary="VLANs across switches")
def list_all_vlans(service: Running) -> list[api.VlanSummary]:
    return [
        api.VlanSummary(id=row.id, names=list(row.names), switches=row.switches, present=row.present)
        for row in service.database.run(vlans.all_vlans)
    ]


@router.get("/vlans/{number}/ports", summary="Ports that carry a VLAN")
def list_vlan_ports(service: Running, number: int) -> list[api.VlanPort]:
    rows = service.database.run(vlans.ports_of_vlan, number)
    return [
        api.VlanPort(
            switch=row.switch,
            port=row.port,
            alias=row.alias,
            tagged=row.tagged,
            default=row.default,
            oper=row.oper,  # type: ignore[arg-type]  # written from Oper
        )
        for row in rows
    ]


@router.get("/switches/{name}/crowds/{port:path}", summary="How many were at a port over time")
def list_crowd(
    service: Running,
    name: str,
    port: str,
    days: Annotated[float, Query(gt=0, le=400, description="how far back")] = 7,
) -> list[api.CountStep]:
    now = service.clock.now()
    since = now - timedelta(days=days)
    intervals = service.database.run(places.intervals_of_port, port_id(service, name, port), since)
    return [api.CountStep(at=at, count=count) for at, count in counts_over_time(intervals, since, now)]


@router.get("/switches/{name}/links/{port:path}", summary="What became of a port's link, latest first")
def list_links(
    service: Running,
    name: str,
    port: str,
    days: Annotated[float, Query(gt=0, le=400, description="how far back")] = 7,
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> list[api.LinkChange]:
    since = service.clock.now() - timedelta(days=days)
    found = service.database.run(past.links_of_port, port_id(service, name, port), since, limit)
    return [api.LinkChange(at=one.at, oper=one.oper) for one in found]  # type: ignore[arg-type]  # from Oper


@router.get("/comparison", summary="What differs between two instants, by address")
def list_compared(
    service: Running,
    since: datetime,
    until: datetime | None = None,
    switch: str | None = None,
    group: str | None = None,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Compared]:
    end = until or service.clock.now()
    if since.tzinfo is None or end.tzinfo is None or since >= end:
        raise Invalid("since: it must be earlier than until, and both need a zone (2026-05-04T14:05:00Z)")
    known = service.database.run(
        comparing.comparable,
        since,
        end,
        switch_ids=_switch_ids(service, switch, group),
        without_ports=service.topology.get().uplink_ids,
        after=_after(cursor),
        limit=limit,
    )
    each = (
        compare(mac, stays, known.first_seen.get(mac, end), since, end) for mac, stays in known.stays.items()
    )
    last = max(known.stays, default=0)
    return PageOf(
        items=[compared_answer(one) for one in each if one is not None],
        next=str(int(last)) if known.more else None,
    )


def _switch_ids(service: Service, switch: str | None, group: str | None) -> list[int] | None:
    if switch is not None:
        return [service.database.run(inventory.get_switch, switch).id]
    if group is None:
        return None
    ids = [row.id for row in service.database.run(inventory.all_switches) if group in row.in_groups]
    if not ids:
        raise NotFound("group", group, "no switch is in it")
    return ids


def _after(cursor: str | None) -> int:
    if cursor is None:
        return 0
    if not cursor.isdigit() or int(cursor) > _ALL_MACS:
        raise Invalid("the cursor is not one that this list gave: take `next` of the page before")
    return int(cursor)
