"""Reads every due switch, many at once, each on its own beat; the schedule decides, this runs it."""

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import AbstractAsyncContextManager, nullcontext
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.collect.agent import Target
from kiteroll.collect.glimpse import glimpse
from kiteroll.collect.habits import Habits
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge, read_bridge
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.core.errors import Conflict, KiteRollError, NotFound
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Reading
from kiteroll.core.schedule import Schedule


@dataclass(frozen=True, slots=True, kw_only=True)
class Assignment:
    """A switch that is to be read every `interval`."""

    switch: int
    name: str
    target: Target | Bridge
    interval: timedelta
    site: str = ""
    limits: Limits | None = None
    """None: those of the service."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Attempt:
    """One try at reading a switch: a reading, or the reason there is none."""

    switch: int
    name: str
    started_at: datetime
    duration: timedelta
    outcome: Reading | KiteRollError
    next_at: datetime | None = None
    """When the switch is next due."""
    first: bool = False
    """Whether it is the first reading of the switch that was ever kept."""
    changes: int = 0
    """What taking it in changed, as far as people are told of it."""


Take = Callable[[Attempt], Awaitable[Attempt]]


class Rounds:
    def __init__(
        self,
        clock: Clock,
        limits: Limits,
        take: Take,
        *,
        concurrency: int = 64,
        jitter: Callable[[], float] = lambda: 0.0,
    ) -> None:
        """`take` keeps an attempt and gives it back with its `changes` counted. It is awaited while
        the attempt holds its place among the `concurrency` ones, so that readings never pile up
        before a store that is slow or away. `jitter` gives 0..1: seconds by which the first reading
        of a switch is put off, so that a fleet does not start in step."""
        self._clock = clock
        self._limits = limits
        self._take = take
        self._slots = asyncio.Semaphore(concurrency)
        self._site_slots: dict[str, asyncio.Semaphore] = {}
        self._jitter = jitter
        self._schedule = Schedule()
        self._assignments: dict[int, Assignment] = {}
        self._habits: dict[int, Habits] = {}
        self._wake = asyncio.Event()

    def limit_site(self, site: str, at_once: int | None) -> None:
        """Read at most so many switches of a site at the same time; None: no limit of its own."""
        if at_once is None:
            self._site_slots.pop(site, None)
        else:
            self._site_slots[site] = asyncio.Semaphore(at_once)

    def assign(self, assignment: Assignment, due_at: datetime | None = None) -> None:
        """Start reading a switch, or read it by other settings from now on. `due_at`: when it is due
        first, for a beat that goes on after the service was started again; None: now."""
        if self._assignments.get(assignment.switch) != assignment:
            self._habits[assignment.switch] = Habits()  # another target may be another switch
        self._assignments[assignment.switch] = assignment
        soon = self._clock.now() + timedelta(seconds=self._jitter())
        self._schedule.put(assignment.switch, assignment.interval, max(soon, due_at or soon))
        self._wake.set()

    def dismiss(self, switch: int) -> None:
        self._assignments.pop(switch, None)
        self._habits.pop(switch, None)
        self._schedule.drop(switch)

    async def run(self) -> None:
        """Until cancelled. A failing switch ends its own reading only; a bug ends the service."""
        async with asyncio.TaskGroup() as tasks:
            while True:
                for switch in self._schedule.take_due(self._clock.now()):
                    name = self._assignments[switch].name
                    tasks.create_task(self._turn(switch), name=f"collect:{name}")
                await self._sleep()

    async def read_now(self, switch: int) -> Attempt:
        """Read one switch out of turn. Raises NotFound, or Conflict while it is being read."""
        assignment = self._assignments.get(switch)
        if assignment is None:
            raise NotFound("switch to read", str(switch), "it is not in the inventory, or switched off")
        if not self._schedule.take(switch):
            raise Conflict(f"{assignment.name} is being read at this moment")
        async with self._slot_of(assignment.site):
            return await self._attempt(assignment)

    async def glimpse(self, switch: int, mac: MacAddress, vlan: int | None) -> Reading | None:
        """Ask one switch where it has one address now; None when it cannot say, or is busy."""
        assignment = self._assignments.get(switch)
        habits = self._habits.get(switch)
        if assignment is None or habits is None or habits.rows is None:
            return None
        target = assignment.target
        if isinstance(target, Bridge) or not self._schedule.take(switch):
            return None
        try:
            limits = assignment.limits or self._limits
            return await glimpse(assignment.name, target, habits.rows, mac, vlan, self._clock, limits)
        except KiteRollError:
            return None  # its next whole reading tells what is wrong with it
        finally:
            self._schedule.done(switch)
            self._wake.set()

    async def _turn(self, switch: int) -> None:
        assignment = self._assignments.get(switch)
        if assignment is None:
            return
        # The site's slot first: who waits for it is not to hold a place that others could use.
        async with self._slot_of(assignment.site), self._slots:
            await self._attempt(assignment)

    def _slot_of(self, site: str) -> AbstractAsyncContextManager[None]:
        return self._site_slots.get(site, nullcontext())

    async def _attempt(self, assignment: Assignment) -> Attempt:
        started_at = self._clock.now()
        started = self._clock.monotonic()
        try:
            outcome: Reading | KiteRollError
            try:
                outcome = await self._read(assignment)
            except KiteRollError as failure:
                outcome = failure
            answered = isinstance(outcome, Reading)
            next_at = self._schedule.settle(assignment.switch, started_at, answered=answered)
            attempt = Attempt(
                switch=assignment.switch,
                name=assignment.name,
                started_at=outcome.taken_at if isinstance(outcome, Reading) else started_at,
                duration=timedelta(seconds=self._clock.monotonic() - started),
                outcome=outcome,
                next_at=next_at,
            )
            return await self._take(attempt)
        finally:
            self._schedule.done(assignment.switch)
            self._wake.set()

    async def _read(self, assignment: Assignment) -> Reading:
        limits = assignment.limits or self._limits
        if isinstance(assignment.target, Bridge):
            return await read_bridge(assignment.name, assignment.target, self._clock, limits)
        habits = self._habits.get(assignment.switch)
        return await read_switch(assignment.name, assignment.target, self._clock, limits, habits)

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
