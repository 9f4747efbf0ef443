"""Every list as a file, and a switch as a printable page."""

from typing import Annotated, Any, Literal

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
from kiteroll.api.exports.writers import MEDIA, CsvDialect, write
from kiteroll.api.parameters import AsOf, Since, Until
from kiteroll.api.presenters.endpoints import present_endpoint, present_stay
from kiteroll.api.presenters.findings import present_finding
from kiteroll.api.presenters.switches import present_neighbour, present_port, present_switch
from kiteroll.api.report.page import served
from kiteroll.api.report.switch_report import switch_report
from kiteroll.app.queries.endpoints import StayFilter
from kiteroll.app.queries.findings import FindingFilters
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.paging import PageAsk
from kiteroll.schemas import api
from kiteroll.schemas.exports import EXPORT_LISTS

router = APIRouter(tags=["exports"])
_SEPARATORS = {"comma": ",", "semicolon": ";", "tab": "\t"}
_FILES: dict[str, Any] = {
    "response_class": StreamingResponse,
    "responses": {
        200: {
            "description": "the file",
            "content": {
                media.partition(";")[0]: {"schema": {"type": "string", "format": "binary"}}
                for media in MEDIA.values()
            },
        }
    },
}
_MAX_ON_PAPER = 2000
_MAX_FINDINGS = 100


@router.get(
    "/exports/{file}", summary="A whole list as NAME.csv, .json, .jsonl, .xml, .xlsx or .parquet", **_FILES
)
def export(
    exports: TheExports,
    file: str,
    switch: str | None = None,
    port: str | None = None,
    vlan: Annotated[int | None, Query(ge=1, le=4094)] = None,
    mac: str | None = None,
    site: str | None = None,
    group: str | None = None,
    maker: Annotated[str | None, Query(min_length=2, description="a part of its name")] = None,
    life: Annotated[list[Literal["present", "quiet", "gone"]] | None, Query()] = None,
    confidence: Annotated[list[Literal["sure", "likely", "doubtful", "none"]] | None, Query()] = None,
    since: Since = None,
    until: Until = None,
    at: AsOf = None,
    ended: bool | None = None,
    uplinks: bool | None = None,
    parts: bool | None = None,
    kind: Annotated[list[str] | None, Query()] = None,
    state: Annotated[list[api.FindingState] | None, Query()] = None,
    severity: Annotated[list[api.Severity] | None, Query()] = None,
    seen: bool | None = None,
    separator: Annotated[
        Literal["comma", "semicolon", "tab"], Query(description="of CSV; comma unless given")
    ] = "comma",
    heading: Annotated[bool, Query(description="of CSV: names of columns in the first line")] = True,
    formulas: Annotated[
        bool, Query(description="of CSV: leave text as it is that a spreadsheet would take for a formula")
    ] = False,
) -> StreamingResponse:
    """The list's own filters are honoured, others refused; `kiteroll export --help` has them all."""
    name, _, media = file.rpartition(".")
    if media not in MEDIA or name not in EXPORT_LISTS:
        hint = f"lists are {', '.join(EXPORT_LISTS)}; files are {', '.join(MEDIA)}"
        raise NotFound("export", file, hint)
    dialect = CsvDialect(_SEPARATORS[separator], heading, formulas)
    if media != "csv" and dialect != CsvDialect():
        raise Invalid("separator, heading, formulas: they are of CSV alone")
    wanted = ExportFilter(
        switch=switch,
        port=port,
        vlan=vlan,
        mac=mac,
        site=site,
        group=group,
        maker=maker,
        life=tuple(life) if life else None,
        confidence=tuple(confidence) if confidence else None,
        since=since,
        until=until,
        at=at,
        ended=ended,
        uplinks=uplinks,
        parts=parts,
        kind=tuple(kind) if kind else None,
        state=tuple(state) if state else None,
        severity=tuple(severity) if severity else None,
        seen=seen,
    )
    pieces = write(media, name, exports.rows(name, wanted), dialect)
    headers = {"Content-Disposition": f'attachment; filename="kiteroll-{file}"'}
    return StreamingResponse(pieces, media_type=MEDIA[media], headers=headers)


@router.get(
    "/switches/{name}/report",
    summary="Every port of a switch on one printable page",
    response_class=HTMLResponse,
)
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
    stays = endpoints.stays(StayFilter(switch=name, uplinks=False), PageAsk(limit=_MAX_ON_PAPER)).items
    macs = sorted({one.row.stay.mac for one in stays})
    found = findings.page(
        FindingFilters(states=("open", "acknowledged"), switch=name), PageAsk(limit=_MAX_FINDINGS)
    )
    html = switch_report(
        present_switch(view),
        [present_port(one) for one in ports.of_switch(name, None)],
        [present_stay(one) for one in stays],
        [present_endpoint(one) for one in endpoints.known(macs)],
        [present_neighbour(one) for one in switches.neighbours(name)],
        [present_finding(one, worker.clears_at) for one in found.items],
        clock.now(),
    )
    return served(html)
