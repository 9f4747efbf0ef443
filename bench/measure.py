"""Timing by repetition: the machines are shared and noisy, so medians, and ratios within one run."""

import resource
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Took:
    wall_s: float
    cpu_s: float
    """Of this process and of children it waited for."""


def once(work: Callable[[], object]) -> Took:
    wall, cpu = time.perf_counter(), _cpu()
    work()
    return Took(time.perf_counter() - wall, _cpu() - cpu)


def median(work: Callable[[], object], *, runs: int = 5) -> Took:
    """Medians over `runs`, after one run that is not counted."""
    work()
    took = [once(work) for _ in range(runs)]
    return Took(statistics.median(one.wall_s for one in took), statistics.median(one.cpu_s for one in took))


def _cpu() -> float:
    return sum(
        usage.ru_utime + usage.ru_stime
        for usage in (resource.getrusage(resource.RUSAGE_SELF), resource.getrusage(resource.RUSAGE_CHILDREN))
    )


def row(label: str, value: str, note: str = "") -> None:
    print(f"  {label:<52} {value:>16}  {note}".rstrip())
