"""Workers that fail are logged, shown, and started again with a growing pause; one may end the service."""

import asyncio
import logging
from collections.abc import Awaitable, Callable

import pytest

from kiteroll.app.supervisor import MustStop, Supervisor, WorkerHealth
from kiteroll.core.errors import Conflict
from kiteroll.tasks import run_together
from tests.support.clock import ManualClock


def _run(
    work: Callable[[ManualClock, asyncio.Event], Callable[[], Awaitable[None]]],
) -> tuple[WorkerHealth, ManualClock, list[str]]:
    """Run one worker until it sets the event; its health then, the clock, and calls to stop the service."""
    clock, stops = ManualClock(), list[str]()

    async def run() -> WorkerHealth:
        done = asyncio.Event()
        supervisor = Supervisor(clock, lambda: stops.append("stop"))
        supervisor.add("worker", work(clock, done))
        supervisor.start()
        await asyncio.wait_for(done.wait(), 10)
        await asyncio.sleep(0)
        (health,) = supervisor.health()
        await supervisor.stop()
        return health

    return asyncio.run(run()), clock, stops


def test_a_worker_that_fails_is_started_again_with_a_growing_pause(caplog: pytest.LogCaptureFixture) -> None:
    def work(clock: ManualClock, done: asyncio.Event) -> Callable[[], Awaitable[None]]:
        async def fail() -> None:
            if len(clock.slept) == 9:
                done.set()
                await asyncio.Event().wait()
            raise ValueError(f"try {len(clock.slept)}")

        return fail

    with caplog.at_level(logging.ERROR):
        health, clock, stops = _run(work)
    assert clock.slept == [1, 2, 4, 8, 16, 32, 60, 60, 60]
    assert (health.running, health.failures, health.error) == (True, 9, "ValueError: try 8")
    assert stops == []
    assert "Traceback" in caplog.text and "try 3" in caplog.text


def test_one_that_ran_well_for_a_while_starts_with_the_first_pause_again() -> None:
    def work(clock: ManualClock, done: asyncio.Event) -> Callable[[], Awaitable[None]]:
        async def fail() -> None:
            if len(clock.slept) == 4:
                done.set()
                await asyncio.Event().wait()
            if len(clock.slept) == 3:
                clock.advance(301)
            raise ValueError("again")

        return fail

    _, clock, _ = _run(work)
    assert clock.slept == [1, 2, 4, 1]


def test_a_worker_that_returns_has_failed_too() -> None:
    def work(clock: ManualClock, done: asyncio.Event) -> Callable[[], Awaitable[None]]:
        async def end() -> None:
            if clock.slept:
                done.set()
                await asyncio.Event().wait()

        return end

    health, clock, _ = _run(work)
    assert clock.slept == [1] and "it returned" in health.error


def test_a_worker_may_say_that_the_service_has_to_stop() -> None:
    def work(clock: ManualClock, done: asyncio.Event) -> Callable[[], Awaitable[None]]:
        async def give_up() -> None:
            done.set()
            raise MustStop("another service took over the database")

        return give_up

    health, clock, stops = _run(work)
    assert stops == ["stop"] and clock.slept == []
    assert not health.running and "took over" in health.error


def test_stopping_cancels_and_waits_for_what_a_worker_cleans_up() -> None:
    cleaned: list[bool] = []

    async def run() -> None:
        supervisor = Supervisor(ManualClock(), lambda: None)
        started = asyncio.Event()

        async def work() -> None:
            try:
                started.set()
                await asyncio.Event().wait()
            finally:
                await asyncio.sleep(0)
                cleaned.append(True)

        supervisor.add("worker", work)
        supervisor.start()
        await started.wait()
        await supervisor.stop()

    asyncio.run(run())
    assert cleaned == [True]


def test_what_runs_together_ends_together_and_leaves_nothing_behind() -> None:
    ended: list[str] = []

    async def waits(name: str) -> None:
        try:
            await asyncio.Event().wait()
        finally:
            ended.append(name)

    async def fails() -> None:
        await asyncio.sleep(0)
        raise Conflict("somebody was faster")

    async def go() -> int:
        with pytest.raises(Conflict):
            await run_together(waits("one"), fails(), waits("other"))
        task = asyncio.current_task()
        assert task is not None
        return task.cancelling()

    assert asyncio.run(go()) == 0
    assert sorted(ended) == ["one", "other"]
