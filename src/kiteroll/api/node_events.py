"""What services that only answer hear from the one that tracks: a line for each event (JSON), as it comes."""

from collections.abc import AsyncIterator
from contextlib import aclosing

from fastapi import FastAPI, Request
from fastapi.responses import Response, StreamingResponse
from starlette.exceptions import HTTPException

from kiteroll.api.dependencies import TheBroadcaster, TheStatus
from kiteroll.api.stream.broadcaster import EventBroadcaster, with_beats
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
        if status.following is not None:
            raise HTTPException(409, "this service does not track")
        return StreamingResponse(_lines(broadcaster), media_type="application/x-ndjson")


async def _lines(broadcaster: EventBroadcaster) -> AsyncIterator[str]:
    latest = broadcaster.last_id
    yield SentEvent(latest, HELLO, None, False, "").line()
    async with aclosing(with_beats(broadcaster.listen(latest, _WAITING, node=True), _BEAT_S)) as events:
        async for event in events:
            yield "\n" if event is None else event.line()
