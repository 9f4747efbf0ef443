"""500 agents x 500 rows: beside snmpbulkwalk, with losses and dead agents, and how late a healthy switch is.

Agents, the yardstick and Kite Roll share the machine's cores, as in bench/collect.
"""

import asyncio
import resource
import time
from datetime import timedelta

import uvloop

from bench import agents
from bench.collect import ALL, AT_ONCE, CLOCK, FDB, MINUTE, bulkwalk
from bench.measure import Took, once, row
from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.poller import Poller, PollResult, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.core.model.reading import Reading

AGENTS, ROWS = 500, 500
DEAD = 20
INTERVAL = timedelta(minutes=5)


def main() -> None:
    with agents.running(AGENTS, ROWS) as addresses:
        table = once(lambda: bulkwalk(addresses, FDB))
        every = once(lambda: bulkwalk(addresses, ALL))
        first, again, _ = _rounds(addresses, dead=0)
    _print("snmpbulkwalk, MAC address table", table)
    _print("snmpbulkwalk, the tables of a whole reading", every)
    _print("Kite Roll, first round, every table there is", first)
    _print("Kite Roll, each further round", again)
    for label, ours in (("first", first), ("further", again)):
        ratio = f"{every.wall_s / ours.wall_s:.2f}"
        note = f"{every.cpu_s / ours.cpu_s:.2f} times less CPU"
        row(f"{label} round: times as fast as snmpbulkwalk", ratio, note)
    row("further round: beside the MAC address table alone", f"{table.wall_s / again.wall_s:.2f}")
    row("peak memory of this process", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024:,} MiB")
    with agents.running(AGENTS, ROWS, loss=0.05) as addresses:
        lossy, lossy_again, late = _rounds(addresses, dead=DEAD)
    _print(f"Kite Roll, 5 % lost and {DEAD} dead, first", lossy)
    _print(f"Kite Roll, 5 % lost and {DEAD} dead, further", lossy_again)
    row(
        "a healthy switch's reading ends after",
        f"{late[len(late) // 2]:.1f} s",
        f"median; the last after {late[-1]:.1f} s",
    )


def _print(label: str, took: Took) -> None:
    row(
        label,
        f"{took.wall_s:.2f} s wall",
        f"{took.cpu_s:.2f} s CPU, {AGENTS * ROWS / took.wall_s:,.0f} rows/s",
    )


def _rounds(addresses: list[str], *, dead: int) -> tuple[Took, Took, list[float]]:
    """The first round over the fleet, and one some minutes later, when neighbours had time to announce
    themselves; and seconds into that until each healthy switch was read."""
    minutes = 0
    clock = SystemClock(lambda: CLOCK.now() + minutes * MINUTE)
    late: list[float] = []
    tooks: list[Took] = []

    async def run() -> None:
        hosts = [*addresses, *(f"127.79.0.{number + 1}" for number in range(dead))]
        done = asyncio.Semaphore(0)
        began = 0.0

        async def take(attempt: PollResult) -> PollResult:
            if isinstance(attempt.outcome, Reading):
                assert len(attempt.outcome.learned) > 0
                late.append(time.perf_counter() - began)
            done.release()
            return attempt

        nonlocal minutes
        rounds = Poller(clock, Limits(), take, concurrency=64 if dead else AT_ONCE)
        running = asyncio.create_task(rounds.run())
        for _ in range(3):
            minutes += 2
            began = time.perf_counter()
            late.clear()
            cpu = time.process_time()
            for number, host in enumerate(hosts):
                target = Target(host=host, port=agents.PORT, community="tarn-read")
                rounds.assign(PollTarget(switch=number, name=host, agent=target, interval=INTERVAL))
            for _host in hosts:
                await done.acquire()
            tooks.append(Took(time.perf_counter() - began, time.process_time() - cpu))
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)

    uvloop.run(run())
    return tooks[0], tooks[2], sorted(late)
