"""Every list as a file, and a switch as a printable page."""

import inspect
from collections.abc import Callable, Iterator
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, StreamingResponse
from pydantic import BaseModel

from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.mac import MacAddress
from kiteroll.service.api import endpoints, findings, history, switches, views
from kiteroll.service.api.common import ERRORS, Running
from kiteroll.service.export import MEDIA, write
from kiteroll.service.life import Service
from kiteroll.service.report import switch_report

router = APIRouter(tags=["exports"], responses=ERRORS)
_PAGE = 1000
_MOST_ON_PAPER = 2000
LISTS: dict[str, Callable[..., Any]] = {
    "switches": switches.list_switches,
    "ports": switches.list_ports,
    "neighbours": switches.list_neighbours,
    "endpoints": endpoints.list_endpoints,
    "stays": endpoints.list_stays,
    "candidates": endpoints.list_candidates,
    "changes": history.list_changes,
    "readings": history.list_readings,
    "findings": findings.list_findings,
    "comparison": views.list_compared,
    "vlans": views.list_all_vlans,
}
"""What may be exported: the same functions that answer the lists, with the same filters."""


@router.get("/exports/{file}", summary="A whole list as NAME.csv, .json, .jsonl, .xml or .xlsx")
def export(
    service: Running,
    file: str,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    mac: str | None = None,
    group: str | None = None,
    since: datetime | None = None,
    until: datetime | None = None,
    at: datetime | None = None,
    ended: bool | None = None,
    uplinks: bool | None = None,
    parts: bool | None = None,
    kind: Annotated[list[str] | None, Query()] = None,
    state: Annotated[list[str] | None, Query()] = None,
) -> StreamingResponse:
    name, _, shape = file.rpartition(".")
    if name not in LISTS or shape not in MEDIA:
        hint = f"lists are {', '.join(LISTS)}; files are {', '.join(MEDIA)}"
        raise NotFound("export", file, hint)
    given = {
        "switch": switch,
        "name": switch,
        "port": port,
        "vlan": vlan,
        "mac": mac,
        "group": group,
        "since": since,
        "until": until,
        "at": at,
        "ended": ended,
        "uplinks": uplinks,
        "parts": parts,
        "kind": kind,
        "state": state,
    }
    rows = _rows(service, LISTS[name], {key: value for key, value in given.items() if value is not None})
    headers = {"Content-Disposition": f'attachment; filename="kiteroll-{file}"'}
    return StreamingResponse(write(shape, name, rows), media_type=MEDIA[shape], headers=headers)


@router.get("/switches/{name}/report", summary="Every port of a switch on one printable page")
def report(service: Running, name: str) -> HTMLResponse:
    one = switches.get_switch(service, name)
    stays = endpoints.list_stays(service, switch=name, uplinks=False, limit=_MOST_ON_PAPER).items
    macs = sorted({MacAddress.parse(stay.mac) for stay in stays})
    page = switch_report(
        one,
        switches.list_ports(service, name),
        stays,
        endpoints.answers_of(service, macs),
        switches.list_neighbours(service, name),
        findings.list_findings(service, switch=name, limit=100).items,
        service.clock.now(),
    )
    policy = "default-src 'none'; style-src 'unsafe-inline'"
    return HTMLResponse(page, headers={"Content-Security-Policy": policy, "Cache-Control": "no-store"})


def _rows(service: Service, ask: Callable[..., Any], given: dict[str, Any]) -> Iterator[BaseModel]:
    """Every row of a list, page after page. The first page is asked for before anything is sent, so
    that what is wrong with the filters is an answer and no broken file."""
    parameters = inspect.signature(ask).parameters
    taken = {key: value for key, value in given.items() if key in parameters}
    missing = [
        key
        for key, one in parameters.items()
        if one.default is inspect.Parameter.empty and key not in ("service", *taken)
    ]
    if missing:
        wanted = "switch" if missing == ["name"] else ", ".join(missing)
        raise Invalid(f"{wanted}: this list needs it")
    if "limit" not in parameters:
        return iter(ask(service, **taken))
    first = ask(service, **taken, limit=_PAGE)
    return _pages(service, ask, taken, first)


def _pages(
    service: Service, ask: Callable[..., Any], taken: dict[str, Any], page: Any
) -> Iterator[BaseModel]:
    while True:
        yield from page.items
        if page.next is None:
            return
        page = ask(service, **taken, limit=_PAGE, cursor=page.next)
