"""A collector at work: holds the lease of its site, reads on its own beat, hands readings over, is asked."""

import asyncio
import logging
from datetime import datetime, timedelta

from kiteroll import __version__
from kiteroll.bus.messages import Answer, Asked, AssignedSwitch, Status, Targets, read_of
from kiteroll.bus.site import LEASE_S, SiteBus
from kiteroll.collect.credential import make_target
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge
from kiteroll.collect.poller import Poller, PollResult, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.collector.centre_clock import CentreClock
from kiteroll.collector.kept_targets import TargetStore
from kiteroll.collector.requests import Requests
from kiteroll.core.errors import BusUnavailable, Conflict, KiteRollError, NotFound

log = logging.getLogger(__name__)
_STATUS_EVERY_S = 5.0
_NOTE_S = 10.0
_LEASE_STEP_S = LEASE_S / 4
_AGAIN_S = 1.0
_BUSY_S = 0.3
_APART = timedelta(seconds=0.02)
"""Between the first readings of two switches, so that a site does not begin in step."""


class CollectorRole:
    def __init__(self, store: TargetStore, clock: CentreClock, limits: Limits, concurrency: int) -> None:
        """`concurrency`: switches read at the same time."""
        self._store = store
        self._clock = clock
        self._limits = limits
        self._started_at = clock.now()
        self.poller: Poller[PollResult] = Poller(clock, limits, self._hand_over, concurrency=concurrency)
        self._bus: SiteBus | None = None
        self._connected = asyncio.Event()
        self._targets: Targets | None = None
        self._assigned: dict[int, PollTarget] = {}
        self._reads = False
        self._reads_since = 0.0
        self._in_hand: list[datetime] = []
        """When readings were taken that the site's server does not have yet."""
        self._requests = Requests(self._read_for_centre, self._send_answer)
        self._problem = ""
        self._packed = False
        """Whether the centre takes packed readings, as far as it was heard."""
        self._status_due = asyncio.Event()
        """There are other targets, or the lease changed hands."""

    async def run(self) -> None:
        """Until cancelled; what it is to read is taken up from where it was kept."""
        try:
            self._targets = self._store.read()
        except KiteRollError as wrong:
            self._note(str(wrong))
        async with asyncio.TaskGroup() as tasks:
            tasks.create_task(self.poller.run(), name="poller")
            tasks.create_task(self._run_lease(), name="lease")
            tasks.create_task(self._run_status(), name="status")
            tasks.create_task(self._run_time_notes(), name="time")

    async def use(self, bus: SiteBus) -> None:
        """Over this connection, which comes back by itself when it is lost. Raises BusUnavailable."""
        await bus.prepare()
        await bus.listen(self._on_asked, self._status_due.set)
        self._bus = bus
        self._connected.set()

    async def stop(self) -> None:
        """The standby may read from now on."""
        if self._bus is not None:
            try:
                await self._bus.release_lease()
            except BusUnavailable as away:
                log.warning("the lease runs out by itself", extra={"event": "lease.kept", "error": str(away)})

    def targets(self) -> dict[str, Target]:
        """Switches that may be heard, by name: those that are read over SNMP."""
        found = self._assigned.values()
        return {one.name: one.agent for one in found if isinstance(one.agent, Target)}

    async def read_next(self, name: str) -> PollResult:
        """Read a switch now; where it is being read this moment, right after that. Raises NotFound."""
        number = next((switch for switch, one in self._assigned.items() if one.name == name), None)
        if number is None:
            raise NotFound("switch to read", name, "this collector does not read it")
        while True:
            try:
                return await self.poller.read_now(number)
            except Conflict:
                await self._clock.sleep(_BUSY_S)

    async def _hand_over(self, result: PollResult) -> PollResult:
        """Until the site's server has it: the switch keeps its place among those that are read at once, so
        that no more readings wait than there are places."""
        read = await asyncio.to_thread(read_of, result, as_packed=self._packed)
        self._in_hand.append(result.started_at)
        try:
            while True:
                await self._connected.wait()
                assert self._bus is not None
                try:
                    await self._bus.publish(read)
                except BusUnavailable as away:
                    self._note(str(away))
                    await self._clock.sleep(_AGAIN_S)
                else:
                    return result
        finally:
            self._in_hand.remove(result.started_at)

    async def _run_lease(self) -> None:
        while True:
            await self._connected.wait()
            assert self._bus is not None
            try:
                reads = await self._bus.hold_lease()
            except BusUnavailable as away:
                self._note(str(away))
                reads = self._reads  # while the site's server is away nobody can take it over
            if reads != self._reads:
                self._reads, self._reads_since = reads, self._clock.monotonic()
                extra = {"event": "lease.held" if reads else "lease.lost", "site": self._store.site}
                log.info("reads the site" if reads else "stands by", extra=extra)
                self._apply()
                self._status_due.set()
            await self._clock.sleep(_LEASE_STEP_S)

    async def _run_time_notes(self) -> None:
        """The time, among the readings: by it the centre sees how far they have come. Not before everything
        that was due when this collector began had time to be read."""
        while True:
            await self._clock.sleep(_NOTE_S)
            if self._bus is None or not self._reads or self._clock.monotonic() - self._reads_since < _NOTE_S:
                continue
            try:
                await self._bus.note_time(min([self._clock.now(), *self._in_hand]))
            except BusUnavailable as away:
                self._note(str(away))

    async def _run_status(self) -> None:
        while True:
            await self._connected.wait()
            assert self._bus is not None
            try:
                await self._send_status(self._bus)
            except KiteRollError as away:
                self._note(str(away))
            self._status_due.clear()
            try:
                async with asyncio.timeout(_STATUS_EVERY_S):
                    await self._status_due.wait()
            except TimeoutError:
                pass

    async def _send_status(self, bus: SiteBus) -> None:
        problem, self._problem = self._problem, ""
        status = Status(
            collector=self._store.collector,
            version=__version__,
            started_at=self._started_at,
            reads=self._reads,
            switches=len(self._targets.switches) if self._targets else 0,
            clock_ahead_s=self._clock.ahead_s,
            waiting=len(self._in_hand),
            problem=problem,
        )
        heard, took_s = await bus.send_status(status)
        self._packed = heard.takes_packed
        before = self._clock.ahead_s
        self._clock.compare(heard.now, took_s)
        if self._clock.ahead_s != before:
            await asyncio.to_thread(self._store.save_clock, self._clock.ahead_s)
        if heard.refused:
            self._note(heard.refused)
        elif self._targets is None or self._targets.targets != heard.targets:
            sealed = await bus.fetch_targets()
            self._targets = await asyncio.to_thread(self._store.accept, sealed, self._targets)
            extra = {"event": "targets.taken", "switches": len(self._targets.switches)}
            log.info("other switches to read", extra=extra)
            self._apply()

    def _on_asked(self, asked: Asked) -> None:
        if self._reads:  # else the other one answers
            self._requests.take(asked)

    async def _read_for_centre(self, asked: Asked) -> Answer:
        mine = self._store.collector
        try:
            result = await self.poller.read_now(asked.switch)
        except Conflict as busy:
            return Answer(id=asked.id, collector=mine, problem="conflict", what=str(busy))
        except NotFound as unknown:
            return Answer(id=asked.id, collector=mine, problem="not_found", what=str(unknown))
        return Answer(id=asked.id, collector=mine, taken_at=result.started_at)

    async def _send_answer(self, answer: Answer) -> None:
        assert self._bus is not None
        try:
            await self._bus.answer(answer)
        except BusUnavailable as away:
            self._note(str(away))  # it is asked again

    def _apply(self) -> None:
        """Read what is to be read, or nothing."""
        wanted: dict[int, PollTarget] = {}
        if self._reads and self._targets is not None:
            self.poller.limit_site(self._store.site, self._targets.at_once)
            for one in self._targets.switches:
                try:
                    wanted[one.switch] = self._target(one)
                except KiteRollError as wrong:
                    self._note(f"{one.name} cannot be read: {wrong}")
        for gone in self._assigned.keys() - wanted.keys():
            self.poller.dismiss(gone)
        for place, (switch, target) in enumerate(wanted.items()):
            if self._assigned.get(switch) != target:
                self.poller.assign(target, self._clock.now() + place * _APART)
        self._assigned = wanted

    def _target(self, one: AssignedSwitch) -> PollTarget:
        agent = (
            Bridge.parse(one.host)
            if one.source == "linux"
            else make_target(one.host, one.port, one.credential)
        )
        return PollTarget(
            switch=one.switch,
            name=one.name,
            agent=agent,
            interval=timedelta(seconds=one.interval_s),
            site=self._store.site,
            limits=self._limits.of_switch(one.timeout_s, one.tries),
        )

    def _note(self, problem: str) -> None:
        """For the log, and for the centre with the next report."""
        if problem != self._problem:
            log.warning("trouble", extra={"event": "collector.trouble", "error": problem})
        self._problem = problem[:1000]
