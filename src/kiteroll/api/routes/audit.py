"""The audit log: searched, exported, checked."""

import json
from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse

from kiteroll.api.contract.pages import PageAsk, by
from kiteroll.api.dependencies import TheAuditLog
from kiteroll.api.parameters import Since, Until
from kiteroll.api.presenters.people import present_audit_entry
from kiteroll.app.access.audit_log import AuditFilters
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/audit-log", tags=["audit"])


@router.get("", summary="Who changed what, when, from where, before and after; latest first")
def list_audit_entries(
    ask: Annotated[PageAsk, by("number")],
    audit: TheAuditLog,
    by: str | None = None,
    action: Annotated[str | None, Query(description="or what it begins with")] = None,
    q: Annotated[str | None, Query(max_length=200, description="somewhere in subject or values")] = None,
    since: Since = None,
    until: Until = None,
) -> PageOf[api.AuditEntry]:
    filters = AuditFilters(by=by, action=action, text=q, since=since, until=until)
    found = audit.page(filters, ask)
    return PageOf(items=[present_audit_entry(row) for row in found.items], next=found.next)


@router.get(
    "/export",
    summary="All of it, first to last, as JSON Lines with the digests of the chain",
    response_class=StreamingResponse,
    responses={200: {"content": {"application/jsonl": {"schema": {"type": "string"}}}}},
)
def export_audit_log(audit: TheAuditLog) -> StreamingResponse:
    def lines() -> Iterator[str]:
        for row in audit.every_entry():
            yield json.dumps(row.plain(), ensure_ascii=False) + "\n"

    headers = {"Content-Disposition": 'attachment; filename="audit-log.jsonl"'}
    return StreamingResponse(lines(), media_type="application/jsonl", headers=headers)


@router.get("/verdict", summary="Whether the log is as it was written, by its chain of digests")
def verify_audit_log(audit: TheAuditLog) -> api.AuditVerdict:
    found = audit.verify()
    return api.AuditVerdict(
        intact=found.broken_at is None,
        entries=found.entries,
        last_digest=found.last,
        broken_at=found.broken_at,
        why=found.why,
    )
