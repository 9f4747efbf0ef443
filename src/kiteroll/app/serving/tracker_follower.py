"""Follows the service that tracks: hears what it does, reads its records anew, and passes its events on."""

import asyncio
import logging
from collections.abc import Callable, Sequence

import httpx

from kiteroll.app.events import ReadingStored
from kiteroll.app.logs import fields
from kiteroll.app.serving.followed_records import FollowedRecords
from kiteroll.app.serving.following import Following
from kiteroll.app.serving.sent_event import AUDITED, HELLO, PROBED, RESYNC, STORED, SentEvent
from kiteroll.app.serving.tracker_link import EVENTS_PATH, TrackerLink
from kiteroll.app.trackers.reports import parse_report
from kiteroll.clock import Clock
from kiteroll.core.errors import StorageUnavailable, TrackerAway
from kiteroll.store.database_lease import LeaseHolder

log = logging.getLogger(__name__)
_SILENCE = httpx.Timeout(5.0, read=15.0)
"""Seconds; it gives a sign of life every five."""
_AGAIN_S = 0.3
_PATIENCE_S = 1.0
_UNHEARD_S = 15.0
"""From then on answers cannot be relied on, where it tracks all the same."""
_WAITING = 5000
"""Events that wait here; more wait there, and then are one `resync`."""


class TrackerFollower:
    def __init__(
        self,
        link: TrackerLink,
        records: FollowedRecords,
        relay: Callable[[Sequence[SentEvent]], None],
        following: Following,
        clock: Clock,
    ) -> None:
        """`relay`: takes its events on, in the event loop, once what they are about is known here."""
        self._link = link
        self._records = records
        self._relay = relay
        self._following = following
        self._clock = clock
        self._heard_at = clock.monotonic()
        self._lost: LeaseHolder | None = None
        """The one that was not heard, as it stood when that began."""

    async def run(self) -> None:
        while True:
            try:
                one = await self._link.find(_PATIENCE_S)
                self._following.url = one.url
                try:
                    await self._follow(one)
                except (httpx.HTTPError, TrackerAway, ValueError) as why:
                    self._link.lost(one)
                    self._not_heard(one, str(why) or type(why).__name__)
            except (TrackerAway, StorageUnavailable) as why:
                self._away(str(why))
                self._following.problem = ""
            await self._clock.sleep(_AGAIN_S)

    async def _follow(self, one: LeaseHolder) -> None:
        """Until the connection ends. Raises httpx.HTTPError, TrackerAway, ValueError, StorageUnavailable."""
        url, headers = f"{one.url}{EVENTS_PATH}", dict(self._link.own_headers())
        async with self._link.http.stream("GET", url, headers=headers, timeout=_SILENCE) as response:
            if response.status_code != httpx.codes.OK:
                raise TrackerAway(f"{one.url} does not let this service follow it ({response.status_code})")
            waiting: _Waiting = asyncio.Queue(_WAITING)
            reading = asyncio.create_task(_read(response, waiting))
            try:
                while True:
                    await self._apply_waiting(one, waiting)
            finally:
                reading.cancel()

    async def _apply_waiting(self, one: LeaseHolder, waiting: "_Waiting") -> None:
        """All that waits. Raises what ended the connection."""
        events: list[SentEvent] = []
        ended = None
        while not events or not waiting.empty():
            came = await waiting.get()
            if isinstance(came, Exception):
                ended = came
                break
            events.append(came)
        await asyncio.to_thread(self._understand, events)
        self._relay([event for event in events if event.name not in (STORED, PROBED)])
        self._heard_at, self._lost = self._clock.monotonic(), None
        if self._following.since is None and events:
            log.info("follows the records", extra=fields("follower.follows", tracker=one.url))
            self._following.since, self._following.note = self._clock.now(), ""
            self._following.problem = ""
            self._relay([self._following.event()])
        if ended is not None:
            raise ended

    def _understand(self, events: Sequence[SentEvent]) -> None:
        if any(event.name in (HELLO, RESYNC) for event in events):
            self._records.reload()
            return
        self._records.after_actions(event.data for event in events if event.name == AUDITED)
        if any(event.name == "finding" for event in events):
            self._records.after_findings()
        for event in events:
            if event.name == STORED and isinstance(report := parse_report(event.data), ReadingStored):
                self._records.after_reading(report)
            elif event.name == PROBED and event.switch:
                self._records.after_probe(event.switch)

    def _not_heard(self, one: LeaseHolder, why: str) -> None:
        """It may have ended; or it renews its lease all the same, as is seen by who tracks then."""
        self._away(why)
        if self._lost is None or self._lost.epoch != one.epoch:
            self._lost = one
        for_s = self._clock.monotonic() - self._heard_at
        if for_s > _UNHEARD_S and one.renewals > self._lost.renewals:
            self._following.problem = f"the service that tracks, {one.url}, is not heard here: {why}"

    def _away(self, why: str) -> None:
        following = self._following
        followed = following.since is not None
        following.since, following.note = None, why
        if followed:
            log.warning("follows no more", extra=fields("follower.away", tracker=following.url, error=why))
            self._relay([following.event()])


_Waiting = asyncio.Queue[SentEvent | Exception]


async def _read(response: httpx.Response, waiting: _Waiting) -> None:
    """At last, why there is no more."""
    try:
        async for line in response.aiter_lines():
            if line:  # an empty one is a sign of life
                await waiting.put(SentEvent.from_line(line))
        await waiting.put(TrackerAway("the connection was ended"))
    except (httpx.HTTPError, ValueError) as why:
        await waiting.put(why)
