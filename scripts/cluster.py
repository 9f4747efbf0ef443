"""`make cluster`: Tarn Ferries with two sites that collectors read, each part a process on loopback: three
message engines at the centre and one at each site, lines between them, two collectors a site whose clocks are
half a minute apart, two trackers of the area of those sites, three database servers in a Galera cluster, two
services of which one stands by, two that only answer, the simulated network and its story. Ctrl-C stops all.

`make chaos` kills parts with -9 and cuts lines at random, mends them, and counts what was recorded.
"""

import argparse
import logging
import signal
import sys
import tempfile
import time
from contextlib import ExitStack, suppress
from pathlib import Path

from tests.support.chaos import Chaos
from tests.support.demo_cluster import DemoCluster


def main() -> int:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--data", type=Path, help="a new directory, kept; else a temporary one")
    parser.add_argument("--chaos", type=float, metavar="SECONDS", help="kill and cut for so long")
    parser.add_argument("--longest-cut", type=float, default=300.0, metavar="SECONDS")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--listen-port", type=int)
    args = parser.parse_args()
    logging.getLogger("kiteroll").setLevel(logging.CRITICAL)  # that a server is not there yet is no news
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    with ExitStack() as stack:
        directory = args.data or Path(stack.enter_context(tempfile.TemporaryDirectory()))
        directory.mkdir(parents=True, exist_ok=True)
        if any(directory.iterdir()):
            parser.error(f"{directory} is not empty: what is left of another cluster would mix with this one")
        cluster = DemoCluster(directory, args.listen_port)
        stack.callback(cluster.end)
        cluster.start()
        urls = " or ".join(one.url for one in cluster.nodes)
        print(f"Kite Roll is at {urls}, its data in {directory}", flush=True)
        if args.chaos is not None:
            return Chaos(cluster, args.seed, args.longest_cut).run(args.chaos)
        with suppress(KeyboardInterrupt):
            while any(one.is_running for one in cluster.services):
                time.sleep(1)
        return 0


if __name__ == "__main__":
    sys.exit(main())
