"""The web application: API, console, and the lifespan of the service."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

import anyio.to_thread
from fastapi import APIRouter, FastAPI
from fastapi.responses import PlainTextResponse, Response
from fastapi.routing import APIRoute
from prometheus_client import CONTENT_TYPE_LATEST
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from kiteroll import __version__
from kiteroll.api import problems
from kiteroll.api.admission import Admitted, check_complete
from kiteroll.api.console_page import serve_console
from kiteroll.api.contract.openapi import document
from kiteroll.api.contract.preconditions import ChangeLocks
from kiteroll.api.contract.problem_types import PAGES, PROBLEM_TYPES, page_of
from kiteroll.api.dependencies import TheMetrics, TheStatus, by_type
from kiteroll.api.exports.lists import ExportLists
from kiteroll.api.metrics import Metrics
from kiteroll.api.node_events import serve_node_events
from kiteroll.api.report.page import served
from kiteroll.api.routes import (
    alerts,
    areas,
    audit,
    collectors,
    credentials,
    endpoints,
    enrolment,
    exports,
    findings,
    history,
    imports,
    labels,
    links,
    network,
    people,
    port_actions,
    rehearsals,
    roll_call,
    rounds,
    rules,
    service_status,
    session,
    settings,
    sites_and_groups,
    switches,
)
from kiteroll.api.stream import events
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.parts.whole import Parts
from kiteroll.app.runtime import running
from kiteroll.clock import SystemClock

CALLS_AT_ONCE = 12
"""Calls that are worked on in threads; fewer than there are connections to the database for them."""
_ROUTES = (
    endpoints,  # first, as they are tried in order: a search comes with every keystroke
    *(switches, credentials, collectors, areas, rounds, sites_and_groups, imports),
    *(findings, rules),
    *(enrolment, roll_call, rehearsals),
    *(labels, links, history, service_status, network, exports),
    *(people, audit, alerts, settings, port_actions),
)


def serve(parts: Parts, broadcaster: EventBroadcaster, clock: SystemClock) -> FastAPI:
    """The application over what was built; its workers run while it does."""
    events.connect(parts.bus, broadcaster, parts.tracking.topology.is_uplink)
    metrics = Metrics(
        parts.bus,
        parts.tracking.fleet,
        parts.queries.switches,
        parts.findings.worker.live,
        parts.supervisor,
        lambda: parts.storage.database.in_use,
        clock,
    )
    export_lists = ExportLists(
        parts.queries.endpoint_list,
        parts.queries.endpoints,
        parts.queries.endpoint_history,
        parts.queries.switches,
        parts.queries.ports,
        parts.queries.findings,
        parts.findings.worker,
        parts.queries.differences,
        parts.queries.history,
        parts.queries.vlans,
        parts.rules.roll_calls,
        parts.rules.port_rules,
        parts.queries.labels,
        parts.queries.network_map,
        clock,
    )

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        broadcaster.attach()
        anyio.to_thread.current_default_thread_limiter().total_tokens = CALLS_AT_ONCE
        async with running(parts):
            yield
            broadcaster.close()

    app = make_app(lifespan)
    app.state.started_at = clock.now()
    app.state.change_locks = ChangeLocks()
    app.state.parts = by_type(*parts.for_routes(), broadcaster, metrics, export_lists, clock)
    return app


def make_app(lifespan: Any = None) -> FastAPI:
    """The routes alone: enough to write the OpenAPI document."""
    app = FastAPI(
        title="Kite Roll",
        version=__version__,
        lifespan=lifespan,
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
        summary="Where every endpoint is connected: by switch, port and VLAN",
    )
    problems.install(app)
    document(app)
    # The least effort takes a seventh of the time of the most; lists become twenty times smaller with it.
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=1)
    v1 = APIRouter(prefix="/api/v1")
    v1.include_router(session.router)
    names = {"metrics"}
    for router in (session.router, *(module.router for module in _ROUTES)):
        names |= {route.name for route in router.routes if isinstance(route, APIRoute)}
    check_complete(names)
    for module in _ROUTES:
        v1.include_router(module.router, dependencies=[Admitted])
    app.include_router(v1)
    _serve_health(app)
    serve_node_events(app)
    _serve_problem_pages(app)
    serve_console(app)
    return app


def _serve_health(app: FastAPI) -> None:
    @app.get("/health/live", include_in_schema=False)
    async def live() -> PlainTextResponse:
        return PlainTextResponse("live\n")

    @app.get("/health/ready", include_in_schema=False)
    def ready(queries: TheStatus) -> Response:
        queries.check_ready()
        return PlainTextResponse("ready\n")

    @app.get("/metrics", include_in_schema=False, dependencies=[Admitted])
    def metrics(metrics: TheMetrics) -> Response:
        return Response(metrics.text(), media_type=CONTENT_TYPE_LATEST)


def _serve_problem_pages(app: FastAPI) -> None:
    @app.get(PAGES + "{code}", include_in_schema=False)
    async def problem_page(code: str) -> Response:
        if code not in PROBLEM_TYPES:
            raise HTTPException(404, "Not found")
        return served(page_of(code, PROBLEM_TYPES[code]))
