"""What services that only answer hear from the one that tracks: a line for each event (JSON), as it comes."""

import asyncio
from collections.abc import AsyncIterator

from fastapi import FastAPI, Request
from fastapi.responses import Response, StreamingResponse
from starlette.exceptions import HTTPException

from kiteroll.api.dependencies import TheBroadcaster, TheStatus
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.serving.sent_event import HELLO, SentEvent
from kiteroll.app.serving.tracker_link import EVENTS_PATH

_BEAT_S = 5.0
_WAITING = 50_000
"""Events kept for one that reads its records meanwhile."""


def serve_node_events(app: FastAPI) -> None:
    @app.get(EVENTS_PATH, include_in_schema=False)
    async def node_events(request: Request, broadcaster: TheBroadcaster, status: TheStatus) -> Response:
        if not request.scope.get("from_node"):
            raise HTTPException(404, "Not found")
        if status.status().following is not None:
            raise HTTPException(409, "this service does not track")
        return StreamingResponse(_lines(broadcaster), media_type="application/x-ndjson")


async def _lines(broadcaster: EventBroadcaster) -> AsyncIterator[str]:
    events = aiter(broadcaster.listen(waiting=_WAITING))
    waiting = asyncio.ensure_future(anext(events))
    await asyncio.sleep(0)  # it listens from here on: what comes later than this id is in the lines
    yield SentEvent(broadcaster.last_id, HELLO, None, False, "").line()
    try:
        while True:
            done, _ = await asyncio.wait({waiting}, timeout=_BEAT_S)
            if not done:
                yield "\n"
                continue
            try:
                event = waiting.result()
            except StopAsyncIteration:
                return
            yield event.line()
            waiting = asyncio.ensure_future(anext(events))
    finally:
        waiting.cancel()
