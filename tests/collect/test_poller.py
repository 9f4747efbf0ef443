"""The poller on its own, with switches that take as long as they are set to."""

import asyncio
from collections import defaultdict
from datetime import timedelta

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect import poller as module
from kiteroll.collect.limits import Limits
from kiteroll.collect.poller import Poller, PollResult, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.model.reading import Reading
from tests.support.factories import at

AGENT = Target(host="127.0.0.1")


def test_switches_that_take_all_their_time_leave_room_for_those_that_answer(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Eight hang as long as they may; the one that answered before is read again and again meanwhile."""
    good_reads = 0
    hanging: dict[str, asyncio.Event] = defaultdict(asyncio.Event)
    hang = asyncio.Event()

    async def read(name: str, *_: object) -> Reading:
        if name == "good":
            return Reading(switch=name, taken_at=at(0))
        if hang.is_set():
            hanging[name].set()
            await asyncio.Event().wait()
        raise DeviceSilent(name, "no answer")

    monkeypatch.setattr(module, "read_switch", read)

    async def run() -> int:
        often = asyncio.Event()
        tried: set[str] = set()
        all_tried = asyncio.Event()

        async def store(result: PollResult) -> None:
            nonlocal good_reads
            tried.add(result.name)
            if len(tried) == 9:
                all_tried.set()
            good_reads += result.name == "good" and bool(hanging)
            if good_reads >= 5:
                often.set()

        poller = Poller(SystemClock(), Limits(), store, concurrency=4)
        for number in range(9):
            name = "good" if number == 8 else f"bad-{number}"
            interval = timedelta(milliseconds=5)
            poller.assign(PollTarget(switch=number, name=name, agent=AGENT, interval=interval))
        running = asyncio.create_task(poller.run())
        await asyncio.wait_for(all_tried.wait(), 30)
        hang.set()
        await asyncio.wait_for(often.wait(), 30)
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)
        return len(hanging)

    assert asyncio.run(run()) == 3
