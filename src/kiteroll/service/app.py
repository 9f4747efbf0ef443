"""The web application: API, console, and the life of the service around them."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import APIRouter, Depends, FastAPI
from fastapi.responses import FileResponse, JSONResponse, PlainTextResponse, Response
from prometheus_client import CONTENT_TYPE_LATEST
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from kiteroll import __version__
from kiteroll.service import problems
from kiteroll.service.access import signed_in
from kiteroll.service.api import (
    credentials,
    endpoints,
    exports,
    files,
    findings,
    history,
    rounds,
    rules,
    session,
    state,
    switches,
    views,
)
from kiteroll.service.life import Service

CONSOLE = Path(__file__).with_name("console_dist")
_MODULES = (
    *(switches, credentials, rounds, files, findings, rules),
    *(endpoints, history, state, views, exports),
)
_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
"""Chakra writes its styles into the page; nothing else may come from outside the service."""


def make_app(service: Service) -> FastAPI:
    """The application of a prepared service; starting and stopping it starts and stops the service."""

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        await service.start()
        try:
            yield
        finally:
            await service.stop()

    app = FastAPI(
        title="Kite Roll",
        version=__version__,
        lifespan=life,
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
        summary="Where every endpoint hangs: by switch, port and VLAN",
    )
    app.state.service = service
    problems.install(app)
    # The least effort takes a seventh of the time of the most; lists become twenty times smaller with it.
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=1)
    v1 = APIRouter(prefix="/api/v1")
    v1.include_router(session.router)
    guarded = [Depends(signed_in)]
    for module in _MODULES:
        v1.include_router(module.router, dependencies=guarded)
    app.include_router(v1)
    _serve_health(app, service)
    _serve_console(app)
    return app


def _serve_health(app: FastAPI, service: Service) -> None:
    @app.get("/health/live", include_in_schema=False)
    async def live() -> PlainTextResponse:
        return PlainTextResponse("live\n")

    @app.get("/health/ready", include_in_schema=False)
    def ready() -> Response:
        service.database.check()
        return PlainTextResponse("ready\n")

    @app.get("/metrics", include_in_schema=False, dependencies=[Depends(signed_in)])
    def metrics() -> Response:
        return Response(service.metrics.text(), media_type=CONTENT_TYPE_LATEST)


def _serve_console(app: FastAPI) -> None:
    """Files of the console's build; any other path is a view of it and gets its page."""

    @app.get("/{path:path}", include_in_schema=False)
    async def console(path: str) -> Response:
        if path.startswith(("api/", "health/")):
            raise HTTPException(404, "Not found")
        if not (CONSOLE / "index.html").is_file():
            return JSONResponse({"detail": "the console is not built: run `make console`"}, 503)
        file = (CONSOLE / path).resolve()
        if path and file.is_relative_to(CONSOLE) and file.is_file():
            kept = "public, max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
            return FileResponse(file, headers={"Cache-Control": kept})
        return FileResponse(
            CONSOLE / "index.html",
            headers={
                "Cache-Control": "no-cache",
                "Content-Security-Policy": _POLICY,
                "X-Content-Type-Options": "nosniff",
                "Referrer-Policy": "same-origin",
            },
        )
