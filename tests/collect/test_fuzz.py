"""Nothing an agent sends stops the collector or another switch, and every reading ends in bounded time."""

import asyncio
import random
import time
from datetime import timedelta
from functools import partial

from hypothesis import given, settings
from hypothesis import strategies as st

from kiteroll.clock import SystemClock
from kiteroll.collect.assemble import assemble
from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.limits import Limits
from kiteroll.collect.poller import Poller, PollResult, PollTarget
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.tables import ADDRESS_TABLES, FURTHER, INTERFACES, LINKS, NEEDED, OLD_TABLE, SCALARS
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.reading import Reading
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.lab import tarn_ferries
from kiteroll.lab.site import Site
from kiteroll.schemas.reading_convert import to_document
from kiteroll.snmp import ber
from tests.support.factories import NOON
from tests.support.ports import free_udp_port

ASKED_FOR = (LINKS, INTERFACES, NEEDED, ADDRESS_TABLES, FURTHER)
COLUMNS = [column for tables in ASKED_FOR for columns in tables.values() for column in columns]
TABLES = [table for tables in ASKED_FOR for table in tables]
tags = st.sampled_from(
    [ber.INTEGER, ber.OCTET_STRING, ber.GAUGE32, ber.COUNTER32, ber.TIME_TICKS, ber.NULL, 0x99]
)
values = st.tuples(tags, st.binary(max_size=12))
# Small numbers make rows of different tables meet; anything else must do no harm.
arcs = st.lists(st.one_of(st.integers(0, 6), st.integers(0, 2**32)), min_size=0, max_size=9).map(
    ber.encode_arcs
)
indexes = st.one_of(arcs, st.binary(max_size=9))


@given(
    scalars=st.dictionaries(st.sampled_from(SCALARS), values),
    columns=st.dictionaries(
        st.sampled_from(COLUMNS), st.dictionaries(indexes, values, max_size=6), max_size=12
    ),
    broke=st.sets(st.sampled_from(TABLES), max_size=3),
    views=st.dictionaries(st.integers(1, 4094), st.dictionaries(indexes, values, max_size=3), max_size=2),
)
@settings(max_examples=400)
def test_whatever_a_switch_says_makes_a_reading(scalars, columns, broke, views) -> None:  # type: ignore[no-untyped-def]
    raw = RawSwitch(switch="odd", taken_at=NOON, scalars=scalars, columns=columns)
    raw.ends = {table: (ExchangeEnd("no answer"), 1) for table in broke}
    for vlan, rows in views.items():
        raw.views[vlan] = RawSwitch(switch="odd", taken_at=NOON, columns={ADDRESS_TABLES[OLD_TABLE][0]: rows})
    reading = assemble(raw)
    assert isinstance(reading, Reading)
    Tracker().apply(reading)
    to_document(reading).model_dump_json()


class FuzzedAgent(asyncio.DatagramProtocol):
    """Stands between the reader and a real agent, and damages what comes back."""

    def __init__(self, agent: tuple[str, int], seed: int) -> None:
        self._agent = agent
        self._random = random.Random(seed)
        self._asker: tuple[str, int] | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        transport: asyncio.DatagramTransport = self._transport  # type: ignore[assignment]
        if addr != self._agent:
            self._asker = addr
            transport.sendto(data, self._agent)
        elif self._asker is not None:
            for _ in range(self._random.choice((1, 1, 2))):
                transport.sendto(self._damaged(data), self._asker)

    def _damaged(self, data: bytes) -> bytes:
        spoilt = bytearray(data)
        for _ in range(self._random.randrange(4)):
            spoilt[self._random.randrange(len(spoilt))] = self._random.randrange(256)
        if self._random.random() < 0.1:
            del spoilt[self._random.randrange(len(spoilt)) :]
        return bytes(spoilt)


def test_damaged_answers_end_in_time_and_hold_up_nobody() -> None:
    async def run() -> tuple[list[PollResult], float]:
        site = Site(tarn_ferries.build(traits={}), SystemClock(), port=free_udp_port())
        site.open()
        loop = asyncio.get_running_loop()
        results: list[PollResult] = []
        every_switch = asyncio.Event()

        async def store(result: PollResult) -> PollResult:
            results.append(result)
            if len(results) == len(site.world.switches):
                every_switch.set()
            return result

        limits = Limits(timeout_s=0.05, tries=3, total_s=3)
        poller = Poller(SystemClock(), limits, store)
        proxies = []
        with site.farm:
            for number, switch in enumerate(site.world.switches.values()):
                host, port = switch.address, site.farm.port
                if number:
                    proxy, _ = await loop.create_datagram_endpoint(
                        partial(FuzzedAgent, (host, port), number), local_addr=("127.0.0.1", 0)
                    )
                    proxies.append(proxy)
                    host, port = proxy.get_extra_info("sockname")
                target = Target(host=host, port=port, community="tarn-read")
                poller.assign(
                    PollTarget(switch=number, name=switch.name, agent=target, interval=timedelta(minutes=5))
                )
            began = time.monotonic()
            running = asyncio.create_task(poller.run())
            await asyncio.wait_for(every_switch.wait(), 20)
            took = time.monotonic() - began
            running.cancel()
            await asyncio.gather(running, return_exceptions=True)
            for proxy in proxies:
                proxy.close()
            await asyncio.sleep(0)
        return results, took

    results, took = asyncio.run(run())
    assert len(results) == 12 and took < 15
    assert all(isinstance(attempt.outcome, Reading | KiteRollError) for attempt in results)
    (healthy,) = [attempt for attempt in results if attempt.switch == 0]
    assert isinstance(healthy.outcome, Reading) and healthy.outcome.complete
