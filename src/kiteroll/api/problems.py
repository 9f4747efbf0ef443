"""Errors as problem details (RFC 9457): one table from ours to HTTP."""

import logging
from collections.abc import Sequence

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from kiteroll.api.contract.problem_types import PAGES, PROBLEM_TYPES
from kiteroll.app.logs import fields
from kiteroll.app.port_actions.actor import Guarded
from kiteroll.core.errors import Invalid, InvalidParts, KiteRollError, sentence
from kiteroll.model_errors import BAD_JSON, where_and_what
from kiteroll.schemas.api import FieldProblem, Problem

log = logging.getLogger(__name__)
MEDIA_TYPE = "application/problem+json"
_MAX_PARTS = 200


def problem(code: str, detail: str, parts: Sequence[tuple[str, str]] = ()) -> JSONResponse:
    """`parts` are pairs of where and what."""
    code = code if code in PROBLEM_TYPES else "bug"
    one = PROBLEM_TYPES[code]
    body = Problem(
        type=f"{PAGES}{code}",
        title=one.title,
        status=one.status,
        detail=detail,
        code=code,
        errors=[FieldProblem(where=where, what=what) for where, what in parts],
    )
    headers = _HEADERS.get(one.status)
    return JSONResponse(body.model_dump(mode="json"), one.status, headers, media_type=MEDIA_TYPE)


_CODES = {400: "bad_json", 404: "not_found", 405: "method_not_allowed"}
_HEADERS = {
    401: {"WWW-Authenticate": "Bearer"},
    429: {"Retry-After": "10"},
    503: {"Retry-After": "2"},
}


def problem_of(error: KiteRollError) -> JSONResponse:
    parts = error.problems[:_MAX_PARTS] if isinstance(error, InvalidParts | Guarded) else ()
    return problem(error.code, str(error), parts)


def install(app: FastAPI) -> None:
    @app.exception_handler(KiteRollError)
    async def ours(request: Request, error: KiteRollError) -> JSONResponse:
        return problem_of(error)

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        found = error.errors()
        parts = [where_and_what(one) for one in found]
        unreadable = any(one["type"] == BAD_JSON for one in found)
        return problem("bad_json" if unreadable else Invalid.code, sentence(parts), parts)

    @app.exception_handler(HTTPException)
    async def plain(request: Request, error: HTTPException) -> JSONResponse:
        code = _CODES.get(error.status_code, Invalid.code)
        answer = problem(code, f"{request.method} {request.url.path}: {error.detail}")
        answer.headers.update(error.headers or {})  # Allow, of a method that is not
        return answer

    @app.exception_handler(ClientDisconnect)
    async def gone(request: Request, error: ClientDisconnect) -> JSONResponse:
        # Nobody is there to be answered, and nothing is wrong here.
        return problem("half_sent", "the connection was closed before all of it came")

    @app.exception_handler(Exception)
    async def bug(request: Request, error: Exception) -> JSONResponse:
        log.error("call failed", exc_info=error, extra=fields("api.bug", path=request.url.path))
        return problem("bug", "the call failed; the service's log has the details")
