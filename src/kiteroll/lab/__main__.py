"""`python -m kiteroll.lab`: the demo network on loopback, until it is told to stop."""

import argparse
import asyncio
import json
import signal
import sys

from kiteroll.clock import SystemClock
from kiteroll.core.errors import Invalid
from kiteroll.lab import story, tarn_ferries
from kiteroll.lab.site import Site


async def _serve(port: int, *, events: bool) -> None:
    world = tarn_ferries.build()
    site = Site(world, SystemClock(), port=port)
    site.open()
    if events:
        story.schedule(world, lambda line: print(f"lab: {line}", file=sys.stderr, flush=True))
    switches = [
        {"name": switch.name, "address": switch.address, "access": site.access_to(switch)}
        for switch in world.switches.values()
    ]
    ready = {"port": port, "switches": switches}
    print(json.dumps(ready), flush=True)
    task = asyncio.create_task(site.run(), name="lab")
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(number, task.cancel)
    try:
        await task
    except asyncio.CancelledError:
        pass


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m kiteroll.lab", description=__doc__)
    parser.add_argument(
        "--port", type=int, default=16100, help="UDP port of every agent (default %(default)s)"
    )
    parser.add_argument("--still", action="store_true", help="no events: the network at peace")
    args = parser.parse_args()
    try:
        asyncio.run(_serve(args.port, events=not args.still))
    except Invalid as problem:
        print(f"lab: {problem}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
