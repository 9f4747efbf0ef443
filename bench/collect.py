"""Reading a fleet, beside snmpbulkwalk 16 at a time on the same agents in the same run.

Both read the MAC address table (dot1qTpFdbTable: port and status); Kite Roll's whole reading, with
ports, VLANs and everything else, stands beside it. A switch that is read again and again, as the service
does, is asked for less: what of it is remembered is not read each time. CPU is that of the reader alone,
not the agents'.
"""

import asyncio
import subprocess
from collections import defaultdict
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import uvloop

from bench import agents
from bench.measure import median, row
from kiteroll.clock import Clock, SystemClock
from kiteroll.collect.address_table import walk_address_table
from kiteroll.collect.budget import Budget
from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.collect.table_walk import TableWalk
from kiteroll.collect.tables import ADDRESS_TABLES, VLAN_TABLE
from kiteroll.collect.walk_cache import WalkCache

AGENTS, ROWS = 40, 500
AT_ONCE = 16
CLOCK = SystemClock()
MINUTE = timedelta(minutes=1)
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
        fleet = _ReadAgain(addresses)
        fdb_again = median(fleet.tables)
        again = median(fleet.whole)
    total = AGENTS * ROWS
    print(f"  {AGENTS} agents x {ROWS} rows, {AT_ONCE} at a time, medians of 5 runs")
    for label, took in (
        ("snmpbulkwalk, MAC address table", walk),
        ("Kite Roll, MAC address table", fdb),
        ("Kite Roll, MAC address table, again", fdb_again),
        ("snmpbulkwalk, the tables of a whole reading", walk_all),
        ("Kite Roll, whole reading", whole),
        ("Kite Roll, whole reading, again", again),
    ):
        row(label, f"{took.wall_s:.3f} s wall", f"{took.cpu_s:.3f} s CPU, {total / took.wall_s:,.0f} rows/s")
    for label, other, ours in (
        ("table", walk, fdb),
        ("table again", walk, fdb_again),
        ("whole reading", walk_all, whole),
        ("whole reading again", walk_all, again),
    ):
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


async def _whole(target: Target, clock: Clock = CLOCK, walk_cache: WalkCache | None = None) -> int:
    reading = await read_switch("bench", target, clock, Limits(), walk_cache)
    assert reading.complete
    return len(reading.learned)


async def _fdb(target: Target) -> int:
    async with Agent(target, CLOCK) as agent:
        walk = ColumnWalk(ADDRESS_TABLES[VLAN_TABLE], target.version, Limits())
        ended = await agent.hold(walk, Budget(CLOCK, Limits(total_s=60)))
        assert ended.complete and walk.rows > ROWS
        return walk.rows


class _ReadAgain:
    """A fleet that was read before, and is read again each minute, by a clock that needs not wait for it."""

    def __init__(self, addresses: list[str]) -> None:
        self._addresses = addresses
        self._minutes = 0
        self._clock = SystemClock(lambda: CLOCK.now() + self._minutes * MINUTE)
        self._caches: dict[str, WalkCache] = defaultdict(WalkCache)
        for _ in range(3):  # neighbours are asked for until they had time to announce themselves
            self.whole()

    def whole(self) -> None:
        self._minutes += 1
        _all(self._addresses, lambda target: _whole(target, self._clock, self._caches[target.host]))

    def tables(self) -> None:
        _all(self._addresses, self._table)

    async def _table(self, target: Target) -> int:
        raw = RawSwitch(switch="bench", taken_at=self._clock.now())
        async with Agent(target, self._clock) as agent:
            tables = TableWalk(agent, raw, Limits(), Budget(self._clock, Limits()))
            await walk_address_table(tables, VLAN_TABLE, self._caches[target.host])
        assert not raw.broke(VLAN_TABLE)
        port, status = ADDRESS_TABLES[VLAN_TABLE]
        assert len(raw.column(port)) == len(raw.column(status)) > ROWS
        return len(raw.column(port))
