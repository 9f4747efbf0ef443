"""The service about itself, and its live stream."""

import asyncio
from collections.abc import AsyncIterator

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from kiteroll import __version__
from kiteroll.core.errors import StorageUnavailable
from kiteroll.schemas import api
from kiteroll.service.api.common import ERRORS, Running
from kiteroll.service.hub import Hub
from kiteroll.store import inventory

router = APIRouter(tags=["service"], responses=ERRORS)

_BEAT_S = 15.0
"""A comment goes out this often, so that proxies and clients see a quiet stream is alive."""


@router.get("/health", summary="How the service is")
def health(service: Running) -> api.ServiceHealth:
    problem = service.intake.storage_problem
    switches = 0
    try:
        switches = service.database.run(inventory.count_switches)
    except StorageUnavailable as away:
        problem = str(away)
    return api.ServiceHealth(
        version=__version__,
        started_at=service.started_at,
        database="up" if problem is None else "down",
        database_note=problem or "",
        switches=switches,
        endpoints=len(service.intake.index),
        tracked=service.intake.tracker.tracked(),
    )


@router.get(
    "/stream",
    summary="Readings and changes as they come (server-sent events)",
    response_class=StreamingResponse,
)
async def stream(service: Running) -> StreamingResponse:
    return StreamingResponse(
        _lines(service.hub), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
    )


async def _lines(hub: Hub) -> AsyncIterator[str]:
    events = aiter(hub.listen())
    yield "event: hello\ndata: {}\n\n"
    waiting = asyncio.ensure_future(anext(events))
    try:
        while True:
            done, _ = await asyncio.wait({waiting}, timeout=_BEAT_S)
            if not done:
                yield ": still here\n\n"
                continue
            try:
                event = waiting.result()
            except StopAsyncIteration:
                return
            yield f"event: {event.name}\ndata: {event.data}\n\n"
            waiting = asyncio.ensure_future(anext(events))
    finally:
        waiting.cancel()
