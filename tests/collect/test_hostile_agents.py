"""Whatever octets an agent answers: reading it ends, as a reading or with a reason, and costs no more than
it may."""

import asyncio
import tracemalloc
from collections.abc import Callable, Sequence
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kiteroll.clock import SystemClock
from kiteroll.collect import snmp_client
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.reading import Reading
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.lab import tarn_ferries
from kiteroll.lab.agent import Views
from kiteroll.lab.site import views_of
from kiteroll.schemas.reading_convert import from_document, to_document
from tests.support.hostile_agents import COMMUNITY, HostileAgent

LIMITS = Limits(timeout_s=0.02, tries=2, total_s=1.5, rows=3000, small_rows=1000, octets=2 << 20)


@pytest.fixture(scope="module")
def good() -> Views:
    world = tarn_ferries.build(traits={})
    world.advance(300)
    views = views_of(world.switches["quay-1"], world)()
    assert views is not None
    return views


class _Wire(asyncio.DatagramTransport):
    """A transport whose other end answers at once."""

    def __init__(self, protocol: asyncio.DatagramProtocol, answers: "Answers") -> None:
        super().__init__()
        self._protocol, self._answers = protocol, answers

    def sendto(self, data: Any, addr: Any = None) -> None:
        for one in self._answers(bytes(data)):
            asyncio.get_running_loop().call_soon(self._protocol.datagram_received, one, ("agent", 161))

    def is_closing(self) -> bool:
        return False

    def close(self) -> None:
        return


Answers = Callable[[bytes], list[bytes]]
Outcome = Reading | KiteRollError


async def _read_all(agents: Sequence[Answers]) -> list[tuple[Outcome, float]]:
    """Read them all at once; each with what came of it, and how long it took."""
    loop = asyncio.get_running_loop()

    async def endpoint(make: Callable[[], asyncio.DatagramProtocol], **given: Any) -> tuple[Any, Any]:
        protocol = make()
        return _Wire(protocol, agents[given["remote_addr"][1]]), protocol

    async def read(number: int) -> tuple[Outcome, float]:
        began = loop.time()
        try:
            target = Target(host="agent", port=number, community=COMMUNITY)
            outcome: Outcome = await read_switch("odd", target, SystemClock(), LIMITS)
        except KiteRollError as failed:
            outcome = failed
        return outcome, loop.time() - began

    loop.create_datagram_endpoint = endpoint  # type: ignore[method-assign, assignment]
    return await asyncio.gather(*(read(number) for number in range(len(agents))))


def _read(answers: Answers) -> tuple[Outcome, float]:
    return asyncio.run(_read_all([answers]))[0]


def _check(outcome: Reading | KiteRollError, took: float) -> None:
    assert took < 10 * LIMITS.total_s, "bounded, on any machine"
    if isinstance(outcome, KiteRollError):
        assert str(outcome)
        return
    assert outcome.complete or all(gap.why for gap in outcome.gaps if gap.breaks)
    Tracker().apply(outcome)
    from_document(to_document(outcome))


@pytest.mark.parametrize("number", range(40))
def test_reading_a_hostile_agent_ends_with_a_reading_or_a_reason(number: int, good: Views) -> None:
    agent = HostileAgent(number, good)
    _check(*_read(agent.answers))
    assert agent.answered


@given(st.lists(st.binary(max_size=300), max_size=3))
@settings(max_examples=15, deadline=None)
def test_any_octets_at_all_end_with_a_reason(octets: list[bytes]) -> None:
    outcome, took = _read(lambda _: octets)
    assert isinstance(outcome, KiteRollError)
    _check(outcome, took)


def test_an_agent_without_end_costs_bounded_memory(good: Views) -> None:
    agent = HostileAgent(0, good)
    agent.tricks, agent._often = ["endless"], 1.0
    tracemalloc.start()
    try:
        outcome, took = _read(agent.answers)
        _, peak = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    _check(outcome, took)
    assert peak < 200 << 20


def test_long_tables_are_read_a_few_at_a_time(good: Views, monkeypatch: pytest.MonkeyPatch) -> None:
    """Agents without end, more than there are turns: each is answered why, and a good one is not held up."""
    monkeypatch.setattr(snmp_client, "_LONG", 60)
    monkeypatch.setattr(snmp_client, "_LONG_AT_ONCE", 1)
    agents = [HostileAgent(number, good) for number in range(5)]
    for one in agents:
        one.tricks, one._often = ["endless"], 1.0
    agents[-1].tricks = []
    *endless, (honest, took) = asyncio.run(_read_all([one.answers for one in agents]))
    assert isinstance(honest, Reading) and honest.complete and took < 10 * LIMITS.total_s
    assert all(isinstance(one, Reading) and not one.complete for one, _ in endless)
    assert all(took < 10 * LIMITS.total_s for _, took in endless)
