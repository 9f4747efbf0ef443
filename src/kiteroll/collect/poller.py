"""Reads every due switch, many at once, each at its own interval; the schedule decides, this runs it."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from contextlib import AbstractAsyncContextManager, nullcontext
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Generic, TypeVar

from kiteroll.clock import Clock
from kiteroll.collect.address_probe import probe_address
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge, read_bridge
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.collect.walk_cache import WalkCache
from kiteroll.core.errors import Conflict, KiteRollError, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.core.scheduling.schedule import Schedule

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, kw_only=True)
class PollTarget:
    """A switch that is to be read every `interval`."""

    switch: int
    name: str
    agent: Target | Bridge
    interval: timedelta
    site: str = ""
    limits: Limits | None = None
    """None: those of the service."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PollResult:
    """One try at reading a switch: a reading, or the reason there is none."""

    switch: int
    name: str
    started_at: datetime
    duration: timedelta
    outcome: Reading | KiteRollError
    next_due_at: datetime | None = None


T = TypeVar("T")

_RESERVED = 4
"""One place in so many is kept for switches that answer promptly: those that take all the time they are given
do not make them late."""
_PROMPT_SHARE = 0.5
"""Of the time a reading may take."""


class Poller(Generic[T]):
    def __init__(
        self,
        clock: Clock,
        limits: Limits,
        deliver: Callable[[PollResult], Awaitable[T]],
        *,
        concurrency: int = 64,
        jitter: Callable[[], float] = lambda: 0.0,
    ) -> None:
        """`deliver` stores a result. It is awaited while the switch holds its place among the
        `concurrency` ones, so that readings never pile up before a store that is slow or away.
        `jitter` gives 0..1: seconds by which the first reading of a switch is put off, so that a
        fleet does not start in step."""
        self._clock = clock
        self._limits = limits
        self._deliver = deliver
        self._slots = asyncio.Semaphore(concurrency)
        self._unproven_slots = asyncio.Semaphore(max(1, concurrency - concurrency // _RESERVED))
        self._prompt: set[int] = set()
        """Switches whose last reading was whole and took no longer than is usual."""
        self._site_slots: dict[str, asyncio.Semaphore] = {}
        self._jitter = jitter
        self._schedule = Schedule()
        self._targets: dict[int, PollTarget] = {}
        self._walk_caches: dict[int, WalkCache] = {}
        self._wake = asyncio.Event()

    def limit_site(self, site: str, concurrency: int | None) -> None:
        """Read at most so many switches of a site at the same time; None: no limit of its own."""
        if concurrency is None:
            self._site_slots.pop(site, None)
        else:
            self._site_slots[site] = asyncio.Semaphore(concurrency)

    def assign(self, target: PollTarget, due_at: datetime | None = None) -> None:
        """Start reading a switch, or read it by other settings from now on. `due_at`: when it is due
        first, for a beat that goes on after the service was started again; None: now."""
        if self._targets.get(target.switch) != target:
            self._walk_caches[target.switch] = WalkCache()  # another target may be another switch
            self._prompt.discard(target.switch)
        self._targets[target.switch] = target
        soon = self._clock.now() + timedelta(seconds=self._jitter())
        self._schedule.put(target.switch, target.interval, max(soon, due_at or soon), target.site)
        self._wake.set()

    def dismiss(self, switch: int) -> None:
        self._targets.pop(switch, None)
        self._walk_caches.pop(switch, None)
        self._prompt.discard(switch)
        self._schedule.drop(switch)

    async def run(self) -> None:
        """Until cancelled. A failing switch ends its own reading only."""
        async with asyncio.TaskGroup() as tasks:
            while True:
                for switch in self._schedule.claim_due(self._clock.now()):
                    name = self._targets[switch].name
                    tasks.create_task(self._turn(switch), name=f"collect:{name}")
                await self._sleep()

    async def read_now(self, switch: int) -> T:
        """Read one switch out of turn. Raises NotFound, or Conflict while it is being read."""
        target = self._targets.get(switch)
        if target is None:
            raise NotFound("switch to read", str(switch), "it is not in the inventory, or switched off")
        if not self._schedule.claim(switch):
            raise Conflict(f"{target.name} is being read at this moment")
        self._walk_caches[switch].request_everything()
        async with self._slot_of(target.site):
            return await self._poll(target)

    async def probe_address(self, switch: int, mac: MacAddress, vlan: int | None) -> Reading | None:
        """Ask one switch where it has one address now; None when it cannot say, or is busy."""
        target = self._targets.get(switch)
        walk_cache = self._walk_caches.get(switch)
        if target is None or walk_cache is None or walk_cache.rows is None:
            return None
        if isinstance(target.agent, Bridge) or not self._schedule.claim(switch):
            return None
        try:
            limits = target.limits or self._limits
            return await probe_address(
                target.name, target.agent, walk_cache.rows, mac, vlan, self._clock, limits
            )
        except KiteRollError:
            return None  # its next whole reading shows what is wrong with it
        except Exception:
            log.exception("internal error while probing", extra={"event": "probe.bug", "switch": target.name})
            return None
        finally:
            self._schedule.done(switch)
            self._wake.set()

    async def _turn(self, switch: int) -> None:
        target = self._targets.get(switch)
        if target is None:
            return
        # The site's slot first: who waits for it is not to hold a place that others could use.
        lane = nullcontext() if switch in self._prompt else self._unproven_slots
        async with self._slot_of(target.site), lane, self._slots:
            try:
                await self._poll(target)
            except KiteRollError as failed:
                extra = {"event": "collect.not_stored", "switch": target.name, "error": str(failed)}
                log.error("a reading was not stored", extra=extra)
            except Exception:
                log.exception(
                    "internal error while storing a reading",
                    extra={"event": "collect.bug", "switch": target.name},
                )

    def _slot_of(self, site: str) -> AbstractAsyncContextManager[None]:
        return self._site_slots.get(site, nullcontext())

    async def _poll(self, target: PollTarget) -> T:
        started_at = self._clock.now()
        started = self._clock.monotonic()
        try:
            outcome = await self._outcome(target)
            answered = isinstance(outcome, Reading)
            self._note_pace(target, outcome, self._clock.monotonic() - started)
            result = PollResult(
                switch=target.switch,
                name=target.name,
                started_at=outcome.taken_at if isinstance(outcome, Reading) else started_at,
                duration=timedelta(seconds=self._clock.monotonic() - started),
                outcome=outcome,
                next_due_at=self._schedule.settle(target.switch, started_at, answered=answered),
            )
            return await self._deliver(result)
        finally:
            self._schedule.done(target.switch)
            self._wake.set()

    def _note_pace(self, target: PollTarget, outcome: Reading | KiteRollError, took_s: float) -> None:
        prompt_s = _PROMPT_SHARE * (target.limits or self._limits).total_s
        if isinstance(outcome, Reading) and outcome.complete and took_s <= prompt_s:
            self._prompt.add(target.switch)
        else:
            self._prompt.discard(target.switch)

    async def _outcome(self, target: PollTarget) -> Reading | KiteRollError:
        """The boundary of one switch: whatever goes wrong in reading it is its outcome, no one else's."""
        try:
            return await self._read(target)
        except KiteRollError as failure:
            return failure
        except Exception as bug:
            log.exception(
                "internal error while reading a switch",
                extra={"event": "collect.bug", "switch": target.name},
            )
            return KiteRollError(f"internal error while reading it: {type(bug).__name__}: {bug}")

    async def _read(self, target: PollTarget) -> Reading:
        limits = target.limits or self._limits
        if isinstance(target.agent, Bridge):
            return await read_bridge(target.name, target.agent, self._clock, limits)
        walk_cache = self._walk_caches.get(target.switch)
        return await read_switch(target.name, target.agent, self._clock, limits, walk_cache)

    async def _sleep(self) -> None:
        """Until the next switch is due, or something changed."""
        self._wake.clear()
        due_at = self._schedule.next_due()
        wait_s = None if due_at is None else max(0.0, (due_at - self._clock.now()).total_seconds())
        try:
            async with asyncio.timeout(wait_s):
                await self._wake.wait()
        except TimeoutError:
            pass
