"""Reading a fleet, beside snmpbulkwalk 16 at a time on the same agents in the same run.

Both read the MAC address table (dot1qTpFdbTable: port and status); Kite Roll's whole reading, with
ports, VLANs and everything else, stands beside it. CPU is that of the reader alone, not the agents'.
"""

import asyncio
import subprocess
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor

import uvloop

from bench import agents
from bench.measure import median, row
from kiteroll.clock import SystemClock
from kiteroll.collect.budget import Budget
from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.snmp_reader import NEEDED, read_switch

AGENTS, ROWS = 40, 500
AT_ONCE = 16
CLOCK = SystemClock()
FDB = ("1.3.6.1.2.1.17.7.1.2.2",)
ALL = (
    "1.3.6.1.2.1.1",
    "1.3.6.1.2.1.2.2",
    "1.3.6.1.2.1.31.1.1",
    "1.3.6.1.2.1.10.7.2",
    "1.3.6.1.2.1.17",
    "1.3.6.1.2.1.47",
    "1.0.8802",
)
"""The tables a whole reading is made of."""


def main() -> None:
    with agents.running(AGENTS, ROWS) as addresses:
        walk = median(lambda: bulkwalk(addresses, FDB))
        walk_all = median(lambda: bulkwalk(addresses, ALL))
        fdb = median(lambda: _all(addresses, _fdb))
        whole = median(lambda: _all(addresses, _whole))
    total = AGENTS * ROWS
    print(f"  {AGENTS} agents x {ROWS} rows, {AT_ONCE} at a time, medians of 5 runs")
    for label, took in (
        ("snmpbulkwalk, MAC address table", walk),
        ("Kite Roll, MAC address table", fdb),
        ("snmpbulkwalk, the tables of a whole reading", walk_all),
        ("Kite Roll, whole reading", whole),
    ):
        row(label, f"{took.wall_s:.3f} s wall", f"{took.cpu_s:.3f} s CPU, {total / took.wall_s:,.0f} rows/s")
    for label, other, ours in (("table", walk, fdb), ("whole reading", walk_all, whole)):
        ratio = f"{other.wall_s / ours.wall_s:.2f}"
        row(
            f"{label}: times as fast as snmpbulkwalk", ratio, f"{other.cpu_s / ours.cpu_s:.2f} times less CPU"
        )
    with agents.running(12, 150) as addresses:
        round_ = median(lambda: _all(addresses, _whole))
    row("a round of 12 switches x 150 rows", f"{round_.wall_s:.3f} s wall")


def bulkwalk(addresses: list[str], roots: tuple[str, ...]) -> None:
    def walk(address: str) -> None:
        lines = 0
        for root in roots:
            words = ["snmpbulkwalk", "-v2c", "-c", "tarn-read", "-On", "-Oq", "-Cr25"]
            done = subprocess.run([*words, f"{address}:{agents.PORT}", root], capture_output=True, check=True)
            lines += done.stdout.count(b"\n")
        assert lines >= 2 * ROWS

    with ThreadPoolExecutor(AT_ONCE) as pool:
        list(pool.map(walk, addresses))


def _all(addresses: list[str], read: Callable[[Target], Awaitable[int]]) -> None:
    async def run() -> None:
        slots = asyncio.Semaphore(AT_ONCE)

        async def one(address: str) -> None:
            async with slots:
                assert await read(Target(host=address, port=agents.PORT, community="tarn-read")) > 0

        await asyncio.gather(*(one(address) for address in addresses))

    uvloop.run(run())


async def _whole(target: Target) -> int:
    reading = await read_switch("bench", target, CLOCK, Limits())
    assert reading.complete
    return len(reading.learned)


async def _fdb(target: Target) -> int:
    async with Agent(target, CLOCK) as agent:
        walk = ColumnWalk(NEEDED["dot1qTpFdbTable"], target.version, Limits())
        ended = await agent.hold(walk, Budget(CLOCK, Limits(total_s=60)))
        assert ended.complete and walk.rows > ROWS
        return walk.rows
