"""Calls about findings, and shared addresses."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def findings(
    *,
    states: Sequence[api.FindingState] = (),
    kinds: Sequence[api.FindingKind] = (),
    severities: Sequence[api.Severity] = (),
    switch: str | None = None,
    mac: str | None = None,
    since: datetime | None = None,
    at: datetime | None = None,
    parts: bool = False,
    sort: str | None = None,
    limit: int = 100,
) -> ApiListRequest[api.Finding]:
    """Latest evidence first, or as `sort` says (`severity`: the worst first); open and acknowledged ones
    unless `states` are given; with `at` those that were open at that instant."""
    return get_list(
        "/findings",
        TypeAdapter(PageOf[api.Finding]),
        state=list(states) or None,
        kind=list(kinds) or None,
        severity=list(severities) or None,
        switch=switch,
        mac=mac,
        since=since and since.isoformat(),
        at=at and at.isoformat(),
        parts=parts or None,
        sort=sort,
        limit=limit,
    )


def finding(number: int) -> ApiRequest[api.Finding]:
    return get_request(f"/findings/{number}", TypeAdapter(api.Finding))


def finding_parts(number: int, *, limit: int = 100) -> ApiListRequest[api.Finding]:
    """Findings that this one explains."""
    return get_list(f"/findings/{number}/parts", TypeAdapter(PageOf[api.Finding]), limit=limit)


def acknowledge(number: int, given: api.Acknowledgement) -> ApiRequest[api.Finding]:
    path, body = f"/findings/{number}/acknowledge", given.model_dump(mode="json")
    return ApiRequest(method="POST", path=path, body=body, answer=TypeAdapter(api.Finding))


def clear_finding(number: int) -> ApiRequest[api.Finding]:
    return ApiRequest(method="POST", path=f"/findings/{number}/clear", answer=TypeAdapter(api.Finding))


def acknowledge_findings(given: api.FindingsToAcknowledge) -> ApiRequest[api.FindingsChanged]:
    return _of_many("acknowledge", given)


def clear_findings(given: api.FindingsToClear) -> ApiRequest[api.FindingsChanged]:
    return _of_many("clear", given)


def _of_many(
    verb: str, given: api.FindingsToAcknowledge | api.FindingsToClear
) -> ApiRequest[api.FindingsChanged]:
    body = given.model_dump(mode="json")
    answer = TypeAdapter(api.FindingsChanged)
    return ApiRequest(method="POST", path=f"/findings/{verb}", body=body, answer=answer)


def finding_kind(kind: api.FindingKind) -> ApiRequest[api.FindingKindHelp]:
    return get_request(f"/finding-kinds/{part(kind)}", TypeAdapter(api.FindingKindHelp))


def shared_addresses() -> ApiListRequest[api.SharedAddress]:
    return get_list("/shared-addresses", TypeAdapter(PageOf[api.SharedAddress]))


def set_shared_address(prefix: str, given: api.NewSharedAddress) -> ApiRequest[api.SharedAddress]:
    path, body = f"/shared-addresses/{part(prefix)}", given.model_dump(mode="json")
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.SharedAddress))


def remove_shared_address(prefix: str) -> ApiRequest[None]:
    return ApiRequest(
        method="DELETE", path=f"/shared-addresses/{part(prefix)}", answer=TypeAdapter(type(None))
    )
