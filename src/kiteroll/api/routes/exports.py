"""Every list as a file, and a switch as a printable page."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, StreamingResponse

from kiteroll.api.dependencies import (
    TheClock,
    TheEndpoints,
    TheExports,
    TheFindings,
    TheFindingWorker,
    ThePorts,
    TheSwitches,
)
from kiteroll.api.exports.lists import ExportFilter
from kiteroll.api.exports.writers import MEDIA, write
from kiteroll.api.parameters import ERRORS, AsOf, Since, Until
from kiteroll.api.presenters.endpoints import present_endpoint, present_stay
from kiteroll.api.presenters.findings import present_finding
from kiteroll.api.presenters.switches import present_neighbour, present_port, present_switch
from kiteroll.api.report.switch_report import switch_report
from kiteroll.app.queries.endpoints import StayFilter
from kiteroll.app.queries.findings import FindingFilters
from kiteroll.core.errors import NotFound

router = APIRouter(tags=["exports"], responses=ERRORS)
_MAX_ON_PAPER = 2000
_MAX_FINDINGS = 100


@router.get("/exports/{file}", summary="A whole list as NAME.csv, .json, .jsonl, .xml or .xlsx")
def export(
    exports: TheExports,
    file: str,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    mac: str | None = None,
    group: str | None = None,
    since: Since = None,
    until: Until = None,
    at: AsOf = None,
    ended: bool | None = None,
    uplinks: bool | None = None,
    parts: bool | None = None,
    kind: Annotated[list[str] | None, Query()] = None,
    state: Annotated[list[str] | None, Query()] = None,
) -> StreamingResponse:
    name, _, media = file.rpartition(".")
    if media not in MEDIA or name not in exports.names():
        hint = f"lists are {', '.join(exports.names())}; files are {', '.join(MEDIA)}"
        raise NotFound("export", file, hint)
    wanted = ExportFilter(
        switch=switch,
        port=port,
        vlan=vlan,
        mac=mac,
        group=group,
        since=since,
        until=until,
        at=at,
        ended=ended,
        uplinks=uplinks,
        parts=parts,
        kind=tuple(kind) if kind else None,
        state=tuple(state) if state else None,
    )
    rows = exports.rows(name, wanted)
    headers = {"Content-Disposition": f'attachment; filename="kiteroll-{file}"'}
    return StreamingResponse(write(media, name, rows), media_type=MEDIA[media], headers=headers)


@router.get("/switches/{name}/report", summary="Every port of a switch on one printable page")
def switch_report_page(
    switches: TheSwitches,
    ports: ThePorts,
    endpoints: TheEndpoints,
    findings: TheFindings,
    worker: TheFindingWorker,
    clock: TheClock,
    name: str,
) -> HTMLResponse:
    view = switches.get(name)
    stays = endpoints.stays(StayFilter(switch=name, uplinks=False), None, _MAX_ON_PAPER).items
    macs = sorted({one.row.stay.mac for one in stays})
    found = findings.page(FindingFilters(states=("open", "acknowledged"), switch=name), None, _MAX_FINDINGS)
    page = switch_report(
        present_switch(view),
        [present_port(one) for one in ports.of_switch(name, None)],
        [present_stay(one) for one in stays],
        [present_endpoint(one) for one in endpoints.known(macs)],
        [present_neighbour(one) for one in switches.neighbours(name)],
        [present_finding(one, worker.clears_at) for one in found.items],
        clock.now(),
    )
    policy = "default-src 'none'; style-src 'unsafe-inline'"
    return HTMLResponse(page, headers={"Content-Security-Policy": policy, "Cache-Control": "no-store"})
