"""Lets a call in, or refuses it: the right it needs, the sites it concerns; and enters changes in the audit
log, before they are made and once they are."""

import asyncio
import json
import secrets
from collections.abc import AsyncIterator, Iterable
from contextlib import nullcontext
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.security import APIKeyCookie, HTTPBearer

from kiteroll.api.call_states import state_or_none
from kiteroll.api.call_subjects import Given, PartsByType
from kiteroll.api.calls import CALLS, OPEN, Call
from kiteroll.api.contract import preconditions
from kiteroll.api.contract.preconditions import ChangeLocks
from kiteroll.api.contract.validation import check_query
from kiteroll.app.access.audit_log import BEGUN, DONE, FAILED, AuditLog, changed_parts, without_secrets
from kiteroll.core.access.principal import Principal
from kiteroll.core.errors import Invalid, KiteRollError

COOKIE = "kiteroll_session"
_bearer = HTTPBearer(auto_error=False, description="a token: `kiteroll token add` makes one")
_cookie = APIKeyCookie(name=COOKIE, auto_error=False, description="a session of the console")


def principal_of(request: Request) -> Principal:
    """Who makes the call; `request_gate` found out before the body was read."""
    found: Principal = request.scope["principal"]
    return found


ThePrincipal = Annotated[Principal, Depends(principal_of)]


async def admitted(
    request: Request,
    bearer: Annotated[object, Depends(_bearer)],
    cookie: Annotated[str | None, Depends(_cookie)],
) -> AsyncIterator[None]:
    """Raises NotAllowed. `bearer` and `cookie` show in the OpenAPI document how calls are authenticated."""
    principal, call = principal_of(request), CALLS[request.scope["route"].name]
    principal.require(call.right)
    check_query(request)
    if not call.action:
        if call.state is not None:
            await _add_entity_tag(request, call, await _given(request))
        yield
        return
    if call.state is None and preconditions.is_conditional(request.headers):
        raise Invalid("If-Match and If-None-Match: this call changes nothing that has an entity tag")
    if not call.entered:
        principal.require_every_site("this")
        yield
        return
    given = await _given(request)
    if principal.sites is not None:
        await asyncio.to_thread(_check_sites, principal, call, request.app.state.parts, given)
    if _is_rehearsed(given, call):
        yield
        return
    locks: ChangeLocks = request.app.state.change_locks
    # What has no state of its own may take minutes, and one such call need not wait for another.
    async with locks.of(request.url.path) if call.state is not None else nullcontext():
        entry = _Entry(request, principal, call, given)
        await asyncio.to_thread(entry.read_state)
        if preconditions.is_conditional(request.headers):
            preconditions.check(request.headers, preconditions.tag_of(entry.before))
        await asyncio.to_thread(entry.begin)
        try:
            yield
        except BaseException as error:
            await asyncio.to_thread(entry.fail, error)
            raise
        await asyncio.to_thread(entry.finish)
        if entry.after is not None:
            request.scope["answer_headers"]["ETag"] = preconditions.tag_of(entry.after)


async def _add_entity_tag(request: Request, call: Call, given: Given) -> None:
    state = await asyncio.to_thread(state_or_none, call.state, request.app.state.parts, given)
    if (tag := preconditions.tag_of(state)) is not None:
        request.scope["answer_headers"]["ETag"] = tag


Admitted = Depends(admitted, scope="function")


def check_complete(names: Iterable[str]) -> None:
    """Every call has its right, and every right its call; the bodies of those that are not entered are not
    looked at."""
    calls = set(names) - OPEN
    if calls != CALLS.keys():
        raise AssertionError(f"calls and their rights differ: {sorted(calls ^ CALLS.keys())}")
    assert not any(one.sites or one.state for one in CALLS.values() if not one.entered)


class _Entry:
    def __init__(self, request: Request, principal: Principal, call: Call, given: Given) -> None:
        self._log: AuditLog = request.app.state.parts[AuditLog]
        self._parts: PartsByType = request.app.state.parts
        self._principal = principal
        self._call = call
        self._given = given
        self._client = request.client.host if request.client else ""
        self._number = secrets.token_hex(16)
        self._subject = " ".join(_named(given, name) for name in call.subject)
        self._sent = without_secrets(given["body"])
        self.before: Any = None
        self.after: Any = None

    def read_state(self) -> None:
        if self._call.state is not None:
            self.before = state_or_none(self._call.state, self._parts, self._given)

    def begin(self) -> None:
        self._append(BEGUN, None, self._sent)

    def finish(self) -> None:
        if self._call.state is None:
            self._append(DONE, None, self._sent)
            return
        self.after = state_or_none(self._call.state, self._parts, self._given)
        before, after = changed_parts(self.before, self.after)
        self._append(DONE, *((before, after) if before or after else (None, self._sent)))

    def fail(self, error: BaseException) -> None:
        known = isinstance(error, KiteRollError)
        self._append(FAILED, None, self._sent, str(error) if known else f"{type(error).__name__}")

    def _append(self, stage: str, before: Any, after: Any, note: str = "") -> None:
        self._log.append(
            stage,
            self._call.action,
            self._subject,
            principal=self._principal,
            client=self._client,
            call=self._number,
            before=before,
            after=after,
            note=note,
        )


def _check_sites(principal: Principal, call: Call, parts: PartsByType, given: Given) -> None:
    """Raises NotAllowed, or what finding out raises."""
    if call.sites is None:
        principal.require_every_site("this")
        return
    for one in call.sites(parts, given):
        if one.name is None:
            principal.require_every_site(one.what)
        else:
            principal.require_site(one.name, one.what)


async def _given(request: Request) -> Given:
    body: Any = None
    if await request.body():
        try:
            body = json.loads(await request.body())
        except ValueError:
            body = None  # the call itself says what is wrong with it
    named = body if isinstance(body, dict) else {}
    values = {"body": named, "sent": body, "principal": principal_of(request)}
    return {**request.query_params, **request.path_params, **values}


def _is_rehearsed(given: Given, call: Call) -> bool:
    """Whether it only asks what it would do."""
    return given["body"].get("dry_run", call.dry) is True


def _named(given: Given, name: str) -> str:
    inner, _, key = name.rpartition(".")
    source = given[inner] if inner else given
    return str(source.get(key, ""))
