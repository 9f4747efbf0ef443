"""The tracker alone: what a reading costs when nothing, little or everything changed, and memory."""

import gc
import resource
import time
import tracemalloc

from bench.fleet import BEAT, Fleet
from bench.measure import median, row
from kiteroll.core.tracking.tracker import Tracker


def main() -> None:
    fleet = Fleet(1, 500)
    tracker = Tracker()
    tracker.apply(fleet.reading(0, 0))
    readings = iter([fleet.reading(0, round_) for round_ in range(1, 8000)])

    def thousand() -> None:
        for _ in range(1000):
            tracker.apply(next(readings))

    row("unchanged reading of 500 rows", f"{median(thousand).cpu_s * 1000:.1f} us CPU", "budget 100 us")

    fleet = Fleet(1000, 500)
    tracker = Tracker()
    gc.collect()
    tracemalloc.start()
    for switch in range(fleet.switches):
        tracker.apply(fleet.reading(switch, 0))
    gc.collect()
    size, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    row("memory a tracked (address, place)", f"{size / tracker.tracked():.0f} octets", "budget 400")
    for label, change in (
        ("unchanged", lambda: None),
        ("1 % churn", lambda: fleet.churn(0.01)),
        ("everything moves", fleet.move_all),
    ):
        change()
        round_ = getattr(main, "round_", 0) + 1
        main.round_ = round_  # type: ignore[attr-defined]
        readings_ = [fleet.reading(switch, round_) for switch in range(fleet.switches)]
        began = time.process_time()
        changes = sum(len(tracker.apply(one)) for one in readings_)
        row(
            f"round of 1,000 x 500, {label}",
            f"{time.process_time() - began:.3f} s CPU",
            f"{changes:,} changes",
        )
    row("peak memory of this process", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024:,} MiB")
    assert BEAT
