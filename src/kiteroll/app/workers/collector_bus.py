"""Takes the readings of sites that collectors read, answers collectors, and asks them."""

import asyncio
import logging
import secrets
from collections import OrderedDict
from collections.abc import Awaitable, Callable, Sequence
from datetime import datetime, timedelta

from kiteroll.app.collectors import Collectors
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.bus import names
from kiteroll.bus.centre import CentreBus, Message
from kiteroll.bus.connection import connected
from kiteroll.bus.messages import Answer, Asked, AskForTargets, Heard, Sent, Status, decode, result_of
from kiteroll.bus.settings import BusSettings
from kiteroll.clock import Clock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable, Conflict, Invalid, NotFound

log = logging.getLogger(__name__)
_INBOX = "_INBOX_centre"
_AGAIN_S = 2.0
_ANSWER_S = 90.0
"""How long a switch that was asked for may take to be read, as a switch may here, and half as much again."""
_ARRIVAL_S = 30.0
_BACKLOG_EVERY_S = 5.0
_FUTURE = timedelta(minutes=2)
"""A reading from further ahead than that is not taken: later true ones would count as old."""
_KEPT = 10_000


class CollectorBus:
    def __init__(
        self,
        settings: BusSettings,
        collectors: Collectors,
        ingestor: ReadingIngestor,
        store: Callable[[PollResult], Awaitable[Outcome | None]],
        site_of: Callable[[int], str | None],
        clock: Clock,
    ) -> None:
        """`store` makes records of a reading; `site_of`: of a switch that is read by collectors, by id."""
        self._settings = settings
        self._collectors = collectors
        self._ingestor = ingestor
        self._store = store
        self._site_of = site_of
        self._clock = clock
        self._bus: CentreBus | None = None
        self._asked: dict[str, asyncio.Future[Answer]] = {}
        self._outcomes: OrderedDict[int, tuple[datetime, Outcome | None]] = OrderedDict()
        """Of the latest readings, by switch: for those who wait for them."""
        self._stored = asyncio.Condition()
        self._changed: set[str] = set()
        """Sites whose collectors are to be told, however often something changed."""
        self._woken = asyncio.Event()
        collectors.on_change(self._note_change)
        self._loop: asyncio.AbstractEventLoop | None = None

    async def run(self) -> None:
        """Until cancelled. Raises ConfigError; an engine that is away is waited for."""
        self._loop = asyncio.get_running_loop()
        while True:
            try:
                async with connected(self._settings, "kiteroll centre", _INBOX) as client:
                    bus = CentreBus(client, self._settings)
                    await bus.listen(self._on_status, self._on_targets, self._on_answer)
                    self._bus = bus
                    await self._follow_sites(bus)
            except BusUnavailable as away:
                log.warning("no message engine", extra=fields("bus.away", error=str(away)))
            finally:
                self._bus = None
            await self._clock.sleep(_AGAIN_S)

    async def read_now(self, switch: int, name: str, site: str) -> Outcome | None:
        """Have a switch read at its site, and wait until that is stored here. Raises Conflict while it is
        being read, NotFound, or BusUnavailable when the site does not answer."""
        if self._bus is None:
            raise BusUnavailable(f"{name} is read at {site}, and the message engine is not there")
        asked = Asked(id=secrets.token_hex(8), switch=switch)
        future: asyncio.Future[Answer] = asyncio.get_running_loop().create_future()
        self._asked[asked.id] = future
        try:
            await self._bus.ask(site, asked)
            async with asyncio.timeout(_ANSWER_S):
                answer = await future
        except TimeoutError as silent:
            raise BusUnavailable(f"no collector of {site} answered: {name} was not read") from silent
        finally:
            self._asked.pop(asked.id, None)
        if answer.problem == "conflict":
            raise Conflict(answer.what)
        if answer.problem or answer.taken_at is None:
            raise NotFound("switch to read", name, answer.what or "its collector does not read it")
        return await self._arrived(switch, name, site, answer.taken_at)

    async def _arrived(self, switch: int, name: str, site: str, at: datetime) -> Outcome | None:
        def there() -> bool:
            return switch in self._outcomes and self._outcomes[switch][0] >= at

        try:
            async with asyncio.timeout(_ARRIVAL_S), self._stored:
                await self._stored.wait_for(there)
        except TimeoutError as slow:
            raise BusUnavailable(f"{name} was read at {site}; its reading has not come yet") from slow
        return self._outcomes[switch][1]

    # Sites.

    async def _follow_sites(self, bus: CentreBus) -> None:
        following: dict[str, asyncio.Task[None]] = {}
        try:
            while True:
                wanted = self._collectors.sites
                for site in following.keys() - wanted:
                    following.pop(site).cancel()
                    await bus.forget(site)
                for site in wanted - following.keys():
                    following[site] = asyncio.create_task(self._follow(bus, site), name=f"site:{site}")
                await self._woken.wait()
                self._woken.clear()
                changed, self._changed = self._changed, set()
                for site in changed & wanted:
                    await bus.say_changed(site)
        finally:
            for task in following.values():
                task.cancel()
            await asyncio.gather(*following.values(), return_exceptions=True)

    async def _follow(self, bus: CentreBus, site: str) -> None:
        """The boundary of one site: whatever is wrong with it holds up no other."""
        measured, told = 0.0, ""
        while True:
            try:
                await bus.follow(site, self._collectors.position(site))
                told = ""
                async for messages in bus.readings(site):
                    await self._take(site, messages)
                    if self._clock.monotonic() - measured >= _BACKLOG_EVERY_S:
                        measured = self._clock.monotonic()
                        backlog = await bus.backlog(site)
                        self._collectors.note_waiting(site, backlog.at_site + backlog.here)
            except BusUnavailable as away:
                if str(away) != told:
                    told = str(away)
                    said = fields("bus.site_away", site=site, error=told)
                    log.warning("a site cannot be followed", extra=said)
            except Exception:
                log.exception("following a site failed", extra=fields("bus.bug", site=site))
            await self._clock.sleep(_AGAIN_S)

    async def _take(self, site: str, messages: Sequence[Message]) -> None:
        """Store them in their order, then confirm: what was stored and not confirmed comes again, and is then
        known by its switch and instant."""
        if not messages:
            return
        noted_at: datetime | None = None
        for one in messages:
            try:
                noted_at = await self._take_one(site, one) or noted_at
            except Invalid as wrong:
                await asyncio.to_thread(self._collectors.note_refused, site, str(wrong))
        numbers, position = [one.number for one in messages], messages[-1].position
        await asyncio.to_thread(self._collectors.note_taken, site, numbers, position, noted_at)
        for one in messages:
            await one.confirm()

    async def _take_one(self, site: str, message: Message) -> datetime | None:
        """What time it was, where that is what was sent. Raises Invalid for what the site may not say."""
        if message.subject != names.readings(names.site_token(site)):
            raise Invalid(f"a message on {message.subject} is not one of {site}")
        sent, result = await asyncio.to_thread(_understood, message.data)
        at = sent.noted_at or (result.started_at if result else None)
        if at is not None and at > self._clock.now() + _FUTURE:
            raise Invalid(
                f"a message is of {at:%Y-%m-%dT%H:%M:%SZ}, which is in the future: is its clock right?"
            )
        if result is None:
            return sent.noted_at
        if self._site_of(result.switch) != site:
            raise Invalid(
                f"a reading is of switch {result.name} ({result.switch}), which {site} does not read"
            )
        last = self._ingestor.tracker.checkpoint(result.name).last_at
        if last is None or result.started_at > last:
            await self._note_outcome(result, await self._store(result))
        else:
            # It comes again, or it was in the hands of a collector when another one took over.
            await self._ingestor.ingest_late(result)
        return None

    async def _note_outcome(self, result: PollResult, outcome: Outcome | None) -> None:
        async with self._stored:
            self._outcomes[result.switch] = (result.started_at, outcome)
            self._outcomes.move_to_end(result.switch)
            if len(self._outcomes) > _KEPT:
                self._outcomes.popitem(last=False)
            self._stored.notify_all()

    # Collectors.

    async def _on_status(self, token: str, status: Status) -> Heard:
        return await asyncio.to_thread(self._collectors.heard, token, status)

    async def _on_targets(self, token: str, ask: AskForTargets) -> bytes:
        return await asyncio.to_thread(self._collectors.targets_for, token, ask.collector)

    async def _on_answer(self, token: str, answer: Answer) -> None:
        future = self._asked.get(answer.id)
        if future is not None and not future.done():
            future.set_result(answer)

    def _note_change(self, site: str) -> None:
        """From any thread."""
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._mark_changed, site)

    def _mark_changed(self, site: str) -> None:
        self._changed.add(site)
        self._woken.set()


def _understood(data: bytes) -> tuple[Sent, PollResult | None]:
    sent = decode(Sent, data)
    return sent, None if sent.read is None else result_of(sent.read)
