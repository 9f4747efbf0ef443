"""Errors as problem details (RFC 9457): one table from ours to HTTP."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from kiteroll.api.refusals import BodyTooLarge, BodyTooSlow, ForeignRequest
from kiteroll.app.access.sign_in import NotSignedIn, TooManyTries
from kiteroll.app.logs import fields
from kiteroll.app.port_actions.actor import Guarded
from kiteroll.core.access.principal import NotAllowed
from kiteroll.core.errors import (
    BadAddress,
    ConfigError,
    Conflict,
    DeviceError,
    DeviceLied,
    DeviceRefused,
    DeviceSilent,
    Invalid,
    InvalidParts,
    KiteRollError,
    NotFound,
    ServiceStopping,
    StorageUnavailable,
)
from kiteroll.schemas.api import FieldProblem, Problem

log = logging.getLogger(__name__)
MEDIA_TYPE = "application/problem+json"
_MAX_PARTS = 200

STATUS: dict[type[KiteRollError], tuple[int, str]] = {
    NotSignedIn: (401, "Not signed in"),
    NotAllowed: (403, "Not allowed"),
    TooManyTries: (429, "Too many tries"),
    BodyTooLarge: (413, "Request too large"),
    BodyTooSlow: (408, "Request too slow"),
    ForeignRequest: (403, "Foreign request"),
    NotFound: (404, "Not found"),
    Conflict: (409, "Conflict"),
    BadAddress: (422, "Not a MAC address"),
    ConfigError: (500, "Invalid configuration of the service"),
    Invalid: (422, "Invalid request"),
    DeviceSilent: (504, "Switch does not answer"),
    DeviceRefused: (502, "Switch rejects the request"),
    DeviceLied: (502, "Invalid response from switch"),
    DeviceError: (502, "Switch cannot be read"),
    StorageUnavailable: (503, "Database unavailable"),
    ServiceStopping: (503, "Service is stopping"),
}
"""Looked up along the class's ancestors, so every subclass has an entry or its parent's."""


def problem(
    status: int, title: str, detail: str, code: str, errors: tuple[FieldProblem, ...] = ()
) -> JSONResponse:
    body = Problem(
        type=f"urn:kiteroll:problem:{code}",
        title=title,
        status=status,
        detail=detail,
        code=code,
        errors=list(errors),
    )
    headers = _HEADERS.get(status)
    return JSONResponse(body.model_dump(mode="json"), status, headers, media_type=MEDIA_TYPE)


_HEADERS = {
    401: {"WWW-Authenticate": "Bearer"},
    429: {"Retry-After": "10"},
    503: {"Retry-After": "2"},
}


def problem_of(error: KiteRollError) -> JSONResponse:
    status, title = status_of(type(error))
    parts = error.problems[:_MAX_PARTS] if isinstance(error, InvalidParts | Guarded) else ()
    errors = tuple(FieldProblem(where=where, what=what) for where, what in parts)
    return problem(status, title, str(error), error.code, errors)


def status_of(kind: type[KiteRollError]) -> tuple[int, str]:
    for ancestor in kind.__mro__:
        if ancestor in STATUS:
            return STATUS[ancestor]
    raise AssertionError(f"{kind.__name__} has no HTTP status")


def install(app: FastAPI) -> None:
    @app.exception_handler(KiteRollError)
    async def ours(request: Request, error: KiteRollError) -> JSONResponse:
        return problem_of(error)

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        errors = tuple(
            FieldProblem(
                where=".".join(str(part) for part in one["loc"]),
                what=one["msg"].removeprefix("Value error, "),
            )
            for one in error.errors()
        )
        detail = "; ".join(f"{one.what} @ {one.where}" for one in errors)
        return problem(422, "Invalid request", detail, Invalid.code, errors)

    @app.exception_handler(HTTPException)
    async def plain(request: Request, error: HTTPException) -> JSONResponse:
        code = {404: "not_found", 405: "method_not_allowed"}.get(error.status_code, "http")
        answer = problem(error.status_code, str(error.detail), f"{request.method} {request.url.path}", code)
        answer.headers.update(error.headers or {})  # Allow, of a method that is not
        return answer

    @app.exception_handler(ClientDisconnect)
    async def gone(request: Request, error: ClientDisconnect) -> JSONResponse:
        # Nobody is there to be told, and nothing is wrong here.
        return problem(400, "Half-sent request", "the connection was closed before all of it came", "gone")

    @app.exception_handler(Exception)
    async def bug(request: Request, error: Exception) -> JSONResponse:
        log.error("call failed", exc_info=error, extra=fields("api.bug", path=request.url.path))
        return problem(500, "Internal error", "the call failed; the service's log has the details", "bug")
