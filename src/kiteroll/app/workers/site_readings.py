"""Takes the readings of sites that collectors read, in their order, and has them stored."""

import asyncio
import logging
from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress
from datetime import datetime, timedelta

from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.bus import names
from kiteroll.bus.centre import CentreBus, Message
from kiteroll.bus.messages import Sent, decode, result_of
from kiteroll.clock import Clock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable, Invalid, StorageUnavailable, TrackedElsewhere
from kiteroll.tasks import end_tasks

log = logging.getLogger(__name__)
_AGAIN_S = 2.0
_BACKLOG_EVERY_S = 5.0
_FUTURE = timedelta(minutes=2)
"""A reading from further ahead than that is not taken: later true ones would count as old."""


async def _nothing(*_: object) -> None:
    pass


class SiteReadings:
    def __init__(
        self,
        intake: SiteIntake,
        ingestor: ReadingIngestor,
        store: Callable[[PollResult], Awaitable[Outcome | None]],
        site_of: Callable[[int], Awaitable[str | None]],
        stored: Callable[[int, datetime, Outcome | None], Awaitable[None]],
        clock: Clock,
        came_again: Callable[[PollResult], Awaitable[None]] = _nothing,
        done: Callable[[], Awaitable[None]] = _nothing,
    ) -> None:
        """`store` makes records of a reading; `site_of`: of a switch that is read by collectors, by id;
        `stored` is called with each reading (switch, instant, what came of it), or `came_again` with one
        that was stored before; `done` is called before some are confirmed."""
        self._intake = intake
        self._ingestor = ingestor
        self._store = store
        self._site_of = site_of
        self._stored = stored
        self._came_again = came_again
        self._done = done
        self._clock = clock
        self._woken = asyncio.Event()

    def wake(self) -> None:
        """Other sites are wanted than before. In the event loop."""
        self._woken.set()

    async def follow(self, bus: CentreBus, wanted: Callable[[], frozenset[str]]) -> None:
        """Until cancelled: of all sites that are wanted."""
        following: dict[str, asyncio.Task[None]] = {}
        try:
            while True:
                sites = wanted()
                ended = [following.pop(site) for site in following.keys() - sites]
                await end_tasks(ended)
                for site in sites - following.keys():
                    following[site] = asyncio.create_task(self._follow(bus, site), name=f"site:{site}")
                await self._woken.wait()
                self._woken.clear()
        finally:
            await end_tasks(following.values())

    async def _follow(self, bus: CentreBus, site: str) -> None:
        """The boundary of one site: whatever is wrong with it holds up no other."""
        measured, logged = 0.0, ""
        while True:
            try:
                await bus.follow(site, self._intake.position(site))
                logged = ""
                async for messages in bus.readings(site):
                    await self._store_all(site, messages)
                    if self._clock.monotonic() - measured >= _BACKLOG_EVERY_S:
                        measured = self._clock.monotonic()
                        backlog = await bus.backlog(site)
                        self._intake.note_waiting(site, backlog.at_site + backlog.here)
            except (BusUnavailable, StorageUnavailable, TrackedElsewhere) as away:
                if str(away) != logged:
                    logged = str(away)
                    extra = fields("bus.site_away", site=site, error=logged)
                    log.warning("a site cannot be followed", extra=extra)
            except Exception:
                log.exception("following a site failed", extra=fields("bus.bug", site=site))
            await self._clock.sleep(_AGAIN_S)

    async def _store_all(self, site: str, messages: Sequence[Message]) -> None:
        """Store them in their order, then confirm: what was stored and not confirmed comes again, and is then
        known by its switch and instant."""
        if not messages:
            return
        noted_at: datetime | None = None
        for one in await asyncio.to_thread(_understood, names.site_token(site), messages):
            try:
                if isinstance(one, Invalid):
                    raise one
                noted_at = await self._store_one(site, *one) or noted_at
            except Invalid as wrong:
                await asyncio.to_thread(self._intake.note_refused, site, str(wrong))
        await self._done()
        numbers, position = [one.number for one in messages], messages[-1].position
        await asyncio.to_thread(self._intake.note_taken, site, numbers, position, noted_at)
        await messages[-1].confirm()

    async def _store_one(self, site: str, sent: Sent, result: PollResult | None) -> datetime | None:
        """What time it was, where that is what was sent. Raises Invalid for what the site may not say."""
        at = sent.noted_at or (result.started_at if result else None)
        if at is not None and at > self._clock.now() + _FUTURE:
            raise Invalid(
                f"a message is of {at:%Y-%m-%dT%H:%M:%SZ}, which is in the future: is its clock right?"
            )
        if result is None:
            return sent.noted_at
        if await self._site_of(result.switch) == site:
            await self._store_result(result)
        else:
            await self._store_of_left(site, result)
        return None

    async def _store_of_left(self, site: str, result: PollResult) -> None:
        """Of a switch that this site does not read, as far as it did. Raises Invalid where it never did."""
        left_at = await asyncio.to_thread(self._intake.left_at, site, result.switch)
        if left_at is None:
            raise Invalid(
                f"a reading is of switch {result.name} ({result.switch}), which {site} does not read"
            )
        if result.started_at <= left_at:
            with suppress(TrackedElsewhere):  # then another one has the switch, and goes on from where it was
                await self._store_result(result)

    async def _store_result(self, result: PollResult) -> None:
        if self._ingestor.is_latest(result):
            await self._stored(result.switch, result.started_at, await self._store(result))
        else:
            # It comes again, or it was in the hands of a collector when another one took over.
            await self._ingestor.ingest_late(result)
            await self._came_again(result)


def _understood(token: str, messages: Sequence[Message]) -> list[tuple[Sent, PollResult | None] | Invalid]:
    """Each in its turn, or why it is not taken."""
    found: list[tuple[Sent, PollResult | None] | Invalid] = []
    for one in messages:
        try:
            if one.subject != names.readings(token):
                raise Invalid(f"a message on {one.subject} is not one of this site")
            sent = decode(Sent, one.data)
            found.append((sent, None if sent.read is None else result_of(sent.read)))
        except Invalid as wrong:
            found.append(wrong)
    return found
