"""Findings: listed, looked at, acknowledged, cleared; and what each kind means."""

import asyncio
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheClock, TheFindings, TheFindingWorker, TheSharedAddresses
from kiteroll.api.parameters import Since
from kiteroll.api.presenters.findings import present_finding, present_kind
from kiteroll.app.queries.findings import FindingFilters, states_asked
from kiteroll.app.shared_addresses import SharedAddresses
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import Instant, PageOf

router = APIRouter(tags=["findings"])


@router.get("/findings", summary="What a person must look at, latest evidence first")
def list_findings(
    ask: Annotated[PageAsk, by("severity", "last_at", "opened_at", "kind")],
    findings: TheFindings,
    worker: TheFindingWorker,
    state: Annotated[
        list[api.FindingState] | None, Query(description="open and acknowledged unless given")
    ] = None,
    kind: Annotated[list[api.FindingKind] | None, Query()] = None,
    severity: Annotated[list[api.Severity] | None, Query()] = None,
    switch: str | None = None,
    mac: str | None = None,
    since: Since = None,
    at: Annotated[
        Instant | None,
        Query(
            description="those that were open at this instant, as far as is kept: their words and severity "
            "are the latest, and who had acknowledged them then is not known; now unless given"
        ),
    ] = None,
    parts: Annotated[bool, Query(description="also those that another finding explains")] = False,
) -> PageOf[api.Finding]:
    filters = FindingFilters(
        states=states_asked(state, at),
        kinds=kind or (),
        severities=severity or (),
        mac=None if mac is None else MacAddress.parse(mac),
        switch=switch,
        part_of=None if parts else "",
        since=since,
        at=at,
    )
    clears_at = worker.clears_at if at is None else None
    found = findings.page(filters, ask)
    return PageOf(items=[present_finding(one, clears_at) for one in found.items], next=found.next)


@router.get("/findings/{number}", summary="One finding, with its evidence")
def get_finding(findings: TheFindings, worker: TheFindingWorker, number: int) -> api.Finding:
    return present_finding(findings.get(number), worker.clears_at)


@router.get("/findings/{number}/parts", summary="Findings that this one explains")
def list_parts(
    ask: Annotated[PageAsk, by("severity", "last_at", "opened_at", "kind")],
    findings: TheFindings,
    worker: TheFindingWorker,
    number: int,
) -> PageOf[api.Finding]:
    found = findings.parts(number, ask)
    return PageOf(items=[present_finding(one, worker.clears_at) for one in found.items], next=found.next)


@router.post("/findings/{number}/acknowledge", summary="Somebody takes care of it")
async def acknowledge(
    principal: ThePrincipal,
    findings: TheFindings,
    worker: TheFindingWorker,
    clock: TheClock,
    number: int,
    given: api.Acknowledgement,
) -> api.Finding:
    _check_until(given.until, clock)
    await asyncio.to_thread(worker.acknowledge, number, principal.name, given.note, given.until)
    return await asyncio.to_thread(get_finding, findings, worker, number)


@router.post("/findings/{number}/clear", summary="It is over: clear it by hand")
async def clear(
    principal: ThePrincipal, findings: TheFindings, worker: TheFindingWorker, number: int
) -> api.Finding:
    await asyncio.to_thread(worker.clear, number, principal.name)
    return await asyncio.to_thread(get_finding, findings, worker, number)


@router.post("/findings/acknowledge", summary="Somebody takes care of several")
async def acknowledge_many(
    principal: ThePrincipal, worker: TheFindingWorker, clock: TheClock, given: api.FindingsToAcknowledge
) -> api.FindingsChanged:
    _check_until(given.until, clock)
    over = await asyncio.to_thread(
        worker.acknowledge_many, given.findings, principal.name, given.note, given.until
    )
    return _changed(given.findings, over)


@router.post("/findings/clear", summary="Several are over: clear them by hand")
async def clear_many(
    principal: ThePrincipal, worker: TheFindingWorker, given: api.FindingsToClear
) -> api.FindingsChanged:
    over = await asyncio.to_thread(worker.clear_many, given.findings, principal.name)
    return _changed(given.findings, over)


def _changed(numbers: Sequence[int], over: Sequence[int]) -> api.FindingsChanged:
    left = set(over)
    changed = [number for number in dict.fromkeys(numbers) if number not in left]
    return api.FindingsChanged(changed=changed, over=list(over))


def _check_until(until: datetime | None, clock: Clock) -> None:
    if until is not None and until <= clock.now():
        raise Invalid("until: it is in the past; leave it out to acknowledge until it clears")


@router.get("/finding-kinds", summary="What each kind of finding means, and what to do")
def list_kinds(
    ask: Annotated[PageAsk, by("kind", "title")], worker: TheFindingWorker
) -> PageOf[api.FindingKindHelp]:
    rows = [present_kind(info, worker.thresholds) for info in KINDS.values()]
    return page(rows, ask, "kind")


@router.get("/finding-kinds/{kind}", summary="What one kind of finding means")
def get_kind(worker: TheFindingWorker, kind: str) -> api.FindingKindHelp:
    if kind not in {one.value for one in FindingKind}:
        raise NotFound("kind of finding", kind, f"there are {', '.join(one.value for one in FindingKind)}")
    return present_kind(KINDS[FindingKind(kind)], worker.thresholds)


@router.get("/shared-addresses", summary="Addresses that several devices use by design")
def list_shared_addresses(
    ask: Annotated[PageAsk, by("prefix", "reason")], shared: TheSharedAddresses
) -> PageOf[api.SharedAddress]:
    rows = [api.SharedAddress(prefix=prefix, reason=reason) for prefix, reason in shared.all().items()]
    return page(rows, ask, "prefix")


@router.get("/shared-addresses/{prefix}", summary="One shared address")
def get_shared_address(shared: TheSharedAddresses, prefix: str) -> api.SharedAddress:
    return _shared(shared, prefix)


@router.put("/shared-addresses/{prefix}", summary="Add one: a whole address or a prefix")
def set_shared_address(
    shared: TheSharedAddresses, prefix: str, given: api.NewSharedAddress
) -> api.SharedAddress:
    shared.set(prefix, given.reason)
    return _shared(shared, prefix)


@router.delete("/shared-addresses/{prefix}", status_code=204, summary="Remove one")
def remove_shared_address(shared: TheSharedAddresses, prefix: str) -> Response:
    shared.remove(prefix)
    return Response(status_code=204)


def _shared(shared: SharedAddresses, given: str) -> api.SharedAddress:
    """Raises Invalid, or NotFound."""
    prefix, reason = shared.get(given)
    return api.SharedAddress(prefix=prefix, reason=reason)
