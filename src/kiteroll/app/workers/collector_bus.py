"""Takes the readings of sites that collectors read, answers collectors, and asks them."""

import asyncio
import logging
import secrets
from collections import OrderedDict
from collections.abc import Awaitable, Callable
from datetime import datetime

from kiteroll.app.collectors import Collectors
from kiteroll.app.ingest import Outcome, ReadingIngestor
from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake
from kiteroll.app.workers.site_readings import SiteReadings
from kiteroll.bus.centre import CentreBus
from kiteroll.bus.connection import connected
from kiteroll.bus.messages import Answer, Asked, AskForTargets, Heard, Status
from kiteroll.bus.settings import BusSettings
from kiteroll.clock import Clock
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import BusUnavailable, Conflict, NotFound
from kiteroll.tasks import run_together

log = logging.getLogger(__name__)
_INBOX = "_INBOX_centre"
_AGAIN_S = 2.0
_ANSWER_S = 90.0
"""How long a switch that was asked for may take to be read, as a switch may here, and half as much again."""
_ASK_AGAIN_S = 5.0
"""What was asked while the collector that reads the site was just taken over is heard the next time."""
_ARRIVAL_S = 30.0
_KEPT = 10_000


class CollectorBus:
    def __init__(
        self,
        settings: BusSettings,
        collectors: Collectors,
        intake: SiteIntake,
        ingestor: ReadingIngestor,
        store: Callable[[PollResult], Awaitable[Outcome | None]],
        site_of: Callable[[int], str | None],
        sites_elsewhere: Callable[[], frozenset[str]],
        clock: Clock,
    ) -> None:
        """`store` makes records of a reading; `site_of`: of a switch that is read by collectors, by id;
        `sites_elsewhere`: whose readings a tracker takes."""
        self._settings = settings
        self._collectors = collectors
        self._readings = SiteReadings(intake, ingestor, store, self._read_at, self.note_outcome, clock)
        self._site_of = site_of
        self._sites_elsewhere = sites_elsewhere
        self._clock = clock
        self._bus: CentreBus | None = None
        self._asked: dict[str, asyncio.Future[Answer]] = {}
        self._outcomes: OrderedDict[int, tuple[datetime, Outcome | None]] = OrderedDict()
        """Of the latest readings, by switch: for those who wait for them."""
        self._stored = asyncio.Condition()
        self._changed: set[str] = set()
        """Sites whose collectors are to be notified, however often something changed."""
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
                    await run_together(self._readings.follow(bus, self._wanted), self._publish_changes(bus))
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
            async with asyncio.timeout(_ANSWER_S):
                while not future.done():
                    if not self._collectors.is_heard(site):
                        raise BusUnavailable(f"no collector of {site} is heard: {name} was not read")
                    if self._bus is not None:
                        await self._bus.publish_request(site, asked)
                    await asyncio.wait([future], timeout=_ASK_AGAIN_S)
            answer = future.result()
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

    async def _publish_changes(self, bus: CentreBus) -> None:
        """Their collectors, of other targets; streams of sites that have none any more go."""
        while True:
            await self._woken.wait()
            self._woken.clear()
            changed, self._changed = self._changed, set()
            for site in changed:
                if self._collectors.reads(site):
                    await bus.publish_change(site)
                else:
                    await bus.forget(site)

    async def note_outcome(self, switch: int, at: datetime, outcome: Outcome | None) -> None:
        """What was read of a switch at this time is stored, here or by the tracker of its area."""
        async with self._stored:
            self._outcomes[switch] = (at, outcome)
            self._outcomes.move_to_end(switch)
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
        self._readings.wake()

    async def _read_at(self, switch: int) -> str | None:
        return self._site_of(switch)

    def _wanted(self) -> frozenset[str]:
        return self._collectors.sites - self._sites_elsewhere()

    def sites_changed(self) -> None:
        """Trackers take the readings of other sites than before. In the event loop."""
        self._readings.wake()
