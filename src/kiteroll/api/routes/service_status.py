"""The service about itself, and its live stream."""

from collections.abc import AsyncIterator, Callable
from contextlib import aclosing
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header, Query, Request
from fastapi.responses import StreamingResponse

from kiteroll import __version__
from kiteroll.api.admission import COOKIE
from kiteroll.api.contract.openapi import STREAM
from kiteroll.api.dependencies import TheBroadcaster, TheSignIn, TheStatus
from kiteroll.api.stream.broadcaster import EventBroadcaster, with_beats
from kiteroll.app.access.sign_in import NotSignedIn, TooManyTries
from kiteroll.app.queries.service_status import WorkerHealth
from kiteroll.app.serving.following import Following
from kiteroll.app.serving.sent_event import AUDITED, FOLLOWING, RESYNC, SentEvent
from kiteroll.schemas import api
from kiteroll.schemas.stream import EventName, HelloEvent

router = APIRouter(tags=["service"])

_BEAT_S = 15.0
"""A comment is sent this often, so that proxies and clients see a quiet stream is alive."""


@router.get("/health", summary="Service status")
def health(request: Request, queries: TheStatus) -> api.ServiceHealth:
    started_at: datetime = request.app.state.started_at
    one = queries.status()
    return api.ServiceHealth(
        version=__version__,
        started_at=started_at,
        database="up" if one.database_problem is None else "down",
        database_note=one.database_problem or "",
        switches=one.switches,
        endpoints=one.endpoints,
        tracked=one.tracked,
        open_findings=one.open_findings,
        clock_ahead_s=round(one.clock_ahead.total_seconds(), 1),
        **_following(one.following),
        workers=[_present(worker) for worker in one.workers],
    )


def _following(one: Following | None) -> dict[str, Any]:
    if one is None:
        return {}
    return {
        "role": "answers",
        "tracker": one.url,
        "follows_since": one.since,
        "follows_note": one.problem or one.note,
    }


def _present(one: WorkerHealth) -> api.WorkerHealth:
    return api.WorkerHealth(
        name=one.name,
        running=one.running,
        failures=one.failures,
        failed_at=one.failed_at,
        error=one.error,
        starts_again_at=one.starts_again_at,
    )


@router.get(
    "/stream",
    summary="Readings, changes, findings and changes of rules as they come (server-sent events)",
    response_class=StreamingResponse,
    responses={200: STREAM},
)
async def stream(
    request: Request,
    signing: TheSignIn,
    broadcaster: TheBroadcaster,
    queries: TheStatus,
    event: Annotated[list[EventName] | None, Query(description="only these; all unless given")] = None,
    switch: Annotated[str | None, Query(description="only events of this switch, and of none")] = None,
    uplinks: Annotated[bool, Query(description="false leaves out changes on uplinks")] = True,
    after: Annotated[
        str | None,
        Query(max_length=100, description="go on behind this event, such as `latest_event` of the session"),
    ] = None,
    last_event_id: Annotated[
        str | None,
        Header(max_length=100, description="the same, as EventSource says it; goes before `after`"),
    ] = None,
) -> StreamingResponse:
    client = request.client.host if request.client else ""

    def is_signed_in() -> bool:
        try:
            signing.check(request.headers.get("authorization"), request.cookies.get(COOKIE), client)
        except (NotSignedIn, TooManyTries):
            return False
        return True

    def is_wanted(one: SentEvent) -> bool:
        return one.name in (RESYNC, FOLLOWING) or (
            (one.name != AUDITED if event is None else one.name in event)
            and (switch is None or one.switch in (None, switch))
            and (uplinks or not one.on_uplink)
        )

    return StreamingResponse(
        _lines(broadcaster, queries.following, last_event_id or after, is_signed_in, is_wanted),
        media_type="text/event-stream",
        headers={"Cache-Control": "no-store"},
    )


async def _lines(
    broadcaster: EventBroadcaster,
    following: Following | None,
    after: str | None,
    is_signed_in: Callable[[], bool],
    is_wanted: Callable[[SentEvent], bool],
) -> AsyncIterator[str]:
    hello = HelloEvent(resumed=after is not None).model_dump_json()
    # With an id, so that whoever is cut off before the first event can go on from here.
    latest = broadcaster.last_id
    yield ("" if after else f"id: {latest}\n") + f"event: hello\ndata: {hello}\n\n"
    if following is not None and following.since is None:
        state = following.event()
        yield f"event: {state.name}\ndata: {state.data}\n\n"
    async with aclosing(with_beats(broadcaster.listen(after or latest), _BEAT_S)) as events:
        async for event in events:
            if not is_signed_in():
                return
            if event is None:
                yield ": still here\n\n"
            elif is_wanted(event):
                yield f"id: {event.id}\nevent: {event.name}\ndata: {event.data}\n\n"
