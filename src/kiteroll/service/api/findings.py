"""Findings: listed, looked at, acknowledged, cleared; and what each kind means."""

import asyncio
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.findings.model import Kind
from kiteroll.core.findings.pages import PAGES
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import first_digits
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.service.answers_of_events import finding_answer
from kiteroll.service.api.common import ERRORS, Cursor, Limit, Running
from kiteroll.service.life import Service
from kiteroll.store import findings, judging
from kiteroll.store.findings import FindingFilters

router = APIRouter(tags=["findings"], responses=ERRORS)
_WHOLE = 12
"""Hex digits of a whole address."""


@router.get("/findings", summary="What a person must look at, latest evidence first")
def list_findings(
    service: Running,
    state: Annotated[
        list[api.FindingState] | None, Query(description="open and acknowledged unless given")
    ] = None,
    kind: Annotated[list[api.FindingKind] | None, Query()] = None,
    severity: Annotated[list[api.Severity] | None, Query()] = None,
    switch: str | None = None,
    mac: str | None = None,
    since: datetime | None = None,
    parts: Annotated[bool, Query(description="also those that another finding explains")] = False,
    cursor: Cursor = None,
    limit: Limit = 100,
) -> PageOf[api.Finding]:
    filters = FindingFilters(
        states=state or ("open", "acknowledged"),
        kinds=kind or (),
        severities=severity or (),
        mac=None if mac is None else MacAddress.parse(mac),
        switch=switch,
        part_of=None if parts else "",
        since=since,
    )
    return _page(service, filters, cursor, limit)


@router.get("/findings/{number}", summary="One finding, with its evidence")
def get_finding(service: Running, number: int) -> api.Finding:
    row = service.database.run(findings.get_finding, number)
    (found,) = service.database.run(findings.explained, [row])
    return finding_answer(found, service.watchman.limits)


@router.get("/findings/{number}/parts", summary="Findings that this one explains")
def list_parts(
    service: Running, number: int, cursor: Cursor = None, limit: Limit = 100
) -> PageOf[api.Finding]:
    row = service.database.run(findings.get_finding, number)
    filters = FindingFilters(part_of=row.finding.key)
    return _page(service, filters, cursor, limit)


@router.post("/findings/{number}/acknowledgement", summary="Somebody looks after it")
async def acknowledge(service: Running, number: int, given: api.Acknowledgement) -> api.Finding:
    if given.until is not None and given.until <= service.clock.now():
        raise Invalid("until: it is past already; leave it out to acknowledge until it clears")
    await asyncio.to_thread(service.watchman.acknowledge, number, given.by, given.note, given.until)
    return await asyncio.to_thread(get_finding, service, number)


@router.post("/findings/{number}/clearing", summary="It is over: clear it by hand")
async def clear(service: Running, number: int, given: api.Clearing) -> api.Finding:
    await asyncio.to_thread(service.watchman.clear, number, given.by)
    return await asyncio.to_thread(get_finding, service, number)


@router.get("/finding-kinds", summary="What each kind of finding means, and what to do")
def list_kinds() -> list[api.FindingPage]:
    return [
        api.FindingPage(
            kind=kind.value,
            title=page.title,
            why=page.why,
            looks=page.looks,
            do=page.do,
            quieten=page.quieten,
        )
        for kind, page in PAGES.items()
    ]


@router.get("/finding-kinds/{kind}", summary="What one kind of finding means")
def get_kind(kind: str) -> api.FindingPage:
    for page in list_kinds():
        if page.kind == kind:
            return page
    raise NotFound("kind of finding", kind, f"there are {', '.join(one.value for one in Kind)}")


@router.get("/shared-addresses", summary="Addresses that several devices answer with by design")
def list_shared(service: Running) -> list[api.SharedAddress]:
    kept = service.database.run(judging.shared_addresses)
    return [api.SharedAddress(prefix=prefix, why=why) for prefix, why in kept.items()]


@router.put("/shared-addresses/{prefix}", summary="Add one: a whole address, or what they begin with")
def keep_shared(service: Running, prefix: str, given: api.NewSharedAddress) -> list[api.SharedAddress]:
    service.database.run(judging.keep_shared, shared_prefix(prefix), given.why)
    return list_shared(service)


@router.delete("/shared-addresses/{prefix}", status_code=204, summary="Remove one")
def remove_shared(service: Running, prefix: str) -> Response:
    if not service.database.run(judging.remove_shared, shared_prefix(prefix)):
        raise NotFound("shared address", prefix, "`kiteroll shared list` shows those there are")
    return Response(status_code=204)


def shared_prefix(text: str) -> str:
    """6 to 12 hex digits. Raises Invalid."""
    digits = first_digits(text, _WHOLE)
    if digits is None:
        raise Invalid(f"{text!r} is neither an address nor what addresses begin with: 6 to 12 hex digits")
    return digits


def _page(service: Service, filters: FindingFilters, cursor: str | None, limit: int) -> PageOf[api.Finding]:
    page = service.database.run(findings.explained_page, filters, cursor=cursor, limit=limit)
    limits = service.watchman.limits
    return PageOf(items=[finding_answer(one, limits) for one in page.items], next=page.next)
