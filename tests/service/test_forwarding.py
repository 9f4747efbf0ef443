"""What a service that only answers says and does when the one that tracks fails it."""

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import httpx
import pytest

from kiteroll.api.forwarding import Forwarding
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.events import ReadingStored
from kiteroll.app.serving.following import Following
from kiteroll.app.serving.sent_event import FOLLOWING, HELLO, PROBED, RESYNC, STORED, SentEvent
from kiteroll.app.serving.tracker_follower import TrackerFollower
from kiteroll.app.trackers.reports import report_text
from kiteroll.core.errors import TrackerAway
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.store.database_lease import LeaseHolder
from tests.support.clock import ManualClock
from tests.support.factories import reading

Answer = Callable[[httpx.Request], httpx.Response]


class Stream(httpx.AsyncByteStream):
    def __init__(self, *parts: str) -> None:
        self._parts = parts

    async def __aiter__(self) -> AsyncIterator[bytes]:
        for part in self._parts:
            yield part.encode()
            await asyncio.sleep(0.01)  # each comes alone


@dataclass
class Link:
    """To a tracker that answers as a test wants it."""

    answer: Answer
    alive: bool = True
    """Whether it renews its lease."""
    finds: int = 1000
    """How often it knows of one that tracks."""
    lost_ones: int = 0
    ends: bool = False
    """Whether it says so when it knows of none any more, or goes on looking."""
    over: asyncio.Event = field(default_factory=asyncio.Event)
    http: httpx.AsyncClient = field(init=False)

    def __post_init__(self) -> None:
        self.http = httpx.AsyncClient(transport=httpx.MockTransport(self.answer))

    def own_headers(self) -> dict[str, str]:
        return {"x-kiteroll-node": "proof"}

    async def find(self, patience_s: float) -> LeaseHolder:
        self.finds -= 1
        if self.finds < 0:
            self.over.set()
            await asyncio.sleep(0 if self.ends else 60)
        if self.finds < 0 or patience_s < 0:
            raise TrackerAway("no service tracks at the moment")
        return LeaseHolder(epoch=1, url="http://tracker", renewals=-self.finds if self.alive else 0)

    def lost(self, one: LeaseHolder) -> None:
        self.lost_ones += 1


async def _call(link: Link, method: str = "POST", **scope: Any) -> httpx.Response:
    """A call that a node was sent."""
    app = Forwarding(_answers_here, link, EventBroadcaster(), ManualClock())  # type: ignore[arg-type]

    async def gated(given: Any, receive: Any, send: Any) -> None:
        await app({**given, **scope}, receive, send)

    async with httpx.AsyncClient(transport=httpx.ASGITransport(gated), base_url="http://node") as client:
        return await client.request(method, "/api/v1/rounds?x=1", headers={"accept": "text/plain"})


async def _answers_here(scope: Any, receive: Any, send: Any) -> None:
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": b"here"})


def test_a_call_waits_for_one_that_takes_over_and_arrives_as_it_was_sent() -> None:
    tries: list[httpx.Request] = []

    def answer(request: httpx.Request) -> httpx.Response:
        tries.append(request)
        if len(tries) < 4:
            raise httpx.ConnectError("refused")
        return httpx.Response(201, stream=Stream("made"), headers={"etag": '"1"', "connection": "close"})

    link = Link(answer)
    got = asyncio.run(_call(link))
    assert (got.status_code, got.text, got.headers["etag"], link.lost_ones) == (201, "made", '"1"', 3)
    assert "connection" not in got.headers
    sent = tries[-1]
    assert (sent.method, sent.url.path, sent.url.query) == ("POST", "/api/v1/rounds", b"x=1")
    assert (sent.headers["host"], sent.headers["accept"]) == ("node", "text/plain")
    assert sent.headers["x-kiteroll-client"] == "127.0.0.1"


def test_one_that_was_cut_off_while_it_was_worked_on_is_not_sent_again() -> None:
    tries = []

    def answer(request: httpx.Request) -> httpx.Response:
        tries.append(request)
        raise httpx.ReadError("reset")

    got = asyncio.run(_call(Link(answer)))
    assert (got.status_code, got.json()["code"], len(tries)) == (503, "tracker_away", 1)
    assert "whether it was done is not known" in got.json()["detail"]


def test_where_nobody_takes_over_it_says_so_in_the_end() -> None:
    def answer(request: httpx.Request) -> httpx.Response:
        raise httpx.ConnectError("refused")

    got = asyncio.run(_call(Link(answer)))
    assert (got.status_code, got.headers["retry-after"]) == (503, "2")
    assert "does not answer; nothing was changed" in got.json()["detail"]
    assert "no service tracks" in asyncio.run(_call(Link(answer, finds=0, ends=True))).json()["detail"]


@pytest.mark.parametrize(
    ("method", "path", "principal", "where"),
    [
        ("GET", "/api/v1/switches", "mara", "here"),
        ("GET", "/api/v1/switches", None, "there"),
        ("GET", "/api/v1/sweeps/3", "mara", "there"),
        ("DELETE", "/api/v1/switches/quay-1", "mara", "there"),
    ],
)
def test_what_is_passed_on(method: str, path: str, principal: str | None, where: str) -> None:
    link = Link(lambda request: httpx.Response(200, stream=Stream("there")))
    got = asyncio.run(_call(link, method, path=path, principal=principal))
    assert got.text == where


@dataclass
class Records:
    done: list[Any] = field(default_factory=list)

    def reload(self) -> None:
        self.done.append("all")

    def after_actions(self, actions: Any) -> None:
        self.done += list(actions)

    def after_findings(self) -> None:
        self.done.append("findings")

    def after_reading(self, stored: ReadingStored) -> None:
        self.done.append(stored.switch)

    def after_probe(self, switch: str) -> None:
        self.done.append(f"{switch}, probed")


async def _followed(link: Link) -> tuple[list[Any], list[SentEvent], Following]:
    """What came of following it, until none that tracks is known any more."""
    records, relayed, following = Records(), list[SentEvent](), Following()
    follower = TrackerFollower(link, records, relayed.extend, following, ManualClock())  # type: ignore[arg-type]
    running = asyncio.create_task(follower.run())
    await asyncio.wait_for(link.over.wait(), 10)
    running.cancel()
    return records.done, relayed, following


def test_what_is_heard_is_read_before_it_is_passed_on() -> None:
    stored = ReadingStored(
        switch_id=1,
        switch="quay-1",
        summary=ReadingSummary.of(reading(0, {})),
        ports=None,
        duration=timedelta(0),
        changes=(),
        before=None,
        checkpoint=SwitchCheckpoint(),
    )
    events = (
        SentEvent("a-7", HELLO, None, False, ""),
        SentEvent("a-8", "audited", None, False, "user.add"),
        SentEvent("", STORED, "quay-1", False, report_text(stored)),
        SentEvent("a-9", "reading", "quay-1", False, "{}"),
        SentEvent("a-10", "finding", "quay-1", False, "{}"),
        SentEvent("", PROBED, "quay-2", False, ""),
        SentEvent("a-11", "change", "quay-2", False, "{}"),
        SentEvent("a-11", RESYNC, None, False, "{}"),
    )
    lines = Stream(*(one.line() for one in events), "\n")
    link = Link(lambda request: httpx.Response(200, stream=lines), finds=1)
    done, relayed, following = asyncio.run(_followed(link))
    assert [one for one in relayed if one.name != FOLLOWING] == [one for one in events if one.id]
    heard = [json.loads(one.data)["heard"] for one in relayed if one.name == FOLLOWING]
    assert heard == [True, False]
    assert done == ["all", "user.add", "quay-1", "findings", "quay-2, probed", "all"]
    assert following.since is None and following.note == "the connection was ended"


def test_a_tracker_that_works_and_is_not_heard_makes_answers_unreliable() -> None:
    def silent(request: httpx.Request) -> httpx.Response:
        raise httpx.ConnectTimeout("no answer")

    following = asyncio.run(_followed(Link(silent, finds=60)))[2]
    assert "is not heard here: no answer" in following.problem
    following = asyncio.run(_followed(Link(silent, finds=60, alive=False)))[2]
    assert (following.problem, following.note) == ("", "no answer"), "without one nothing changes"
