"""500 agents x 500 rows: beside snmpbulkwalk, with losses and dead agents, and how late a healthy switch is.

Agents, the yardstick and Kite Roll share the machine's cores, as in bench/collect.
"""

import asyncio
import resource
import time
from datetime import timedelta

import uvloop

from bench import agents
from bench.collect import ALL, AT_ONCE, FDB, bulkwalk
from bench.measure import Took, once, row
from kiteroll.clock import SystemClock
from kiteroll.collect.agent import Target
from kiteroll.collect.limits import Limits
from kiteroll.collect.rounds import Assignment, Attempt, Rounds
from kiteroll.core.reading import Reading

AGENTS, ROWS = 500, 500
DEAD = 20
INTERVAL = timedelta(minutes=5)


def main() -> None:
    with agents.running(AGENTS, ROWS) as addresses:
        table = once(lambda: bulkwalk(addresses, FDB))
        every = once(lambda: bulkwalk(addresses, ALL))
        ours, _ = _round(addresses, dead=0)
    _say("snmpbulkwalk, MAC address table", table)
    _say("snmpbulkwalk, the tables of a whole reading", every)
    _say("Kite Roll, whole readings", ours)
    row(
        "whole reading: times as fast as snmpbulkwalk",
        f"{every.wall_s / ours.wall_s:.2f}",
        f"{every.cpu_s / ours.cpu_s:.2f} times less CPU",
    )
    row("beside the MAC address table alone", f"{table.wall_s / ours.wall_s:.2f}")
    row("peak memory of this process", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024:,} MiB")
    with agents.running(AGENTS, ROWS, loss=0.05) as addresses:
        lossy, late = _round(addresses, dead=DEAD)
    _say(f"Kite Roll, 5 % lost and {DEAD} dead", lossy)
    row(
        "a healthy switch's reading ends after",
        f"{late[len(late) // 2]:.1f} s",
        f"median; the last after {late[-1]:.1f} s",
    )


def _say(label: str, took: Took) -> None:
    row(
        label,
        f"{took.wall_s:.2f} s wall",
        f"{took.cpu_s:.2f} s CPU, {AGENTS * ROWS / took.wall_s:,.0f} rows/s",
    )


def _round(addresses: list[str], *, dead: int) -> tuple[Took, list[float]]:
    """One round over the fleet; seconds until each healthy switch was read, ascending."""
    late: list[float] = []

    async def run() -> None:
        began = time.perf_counter()
        ended = 0
        over = asyncio.Event()

        async def take(attempt: Attempt) -> Attempt:
            nonlocal ended
            ended += 1
            if isinstance(attempt.outcome, Reading):
                assert len(attempt.outcome.learned) > 0
                late.append(time.perf_counter() - began)
            if ended == len(addresses) + dead:
                over.set()
            return attempt

        rounds = Rounds(SystemClock(), Limits(), take, concurrency=64 if dead else AT_ONCE)
        hosts = [*addresses, *(f"127.79.0.{number + 1}" for number in range(dead))]
        for number, host in enumerate(hosts):
            target = Target(host=host, port=agents.PORT, community="tarn-read")
            rounds.assign(Assignment(switch=number, name=host, target=target, interval=INTERVAL))
        running = asyncio.create_task(rounds.run())
        await over.wait()
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)

    took = once(lambda: uvloop.run(run()))
    return took, sorted(late)
