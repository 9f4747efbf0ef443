"""`python -m kiteroll.lab`: the demo network on loopback, until it is told to stop."""

import argparse
import asyncio
import json
import signal
import sys

from kiteroll.clock import SystemClock
from kiteroll.core.errors import Invalid
from kiteroll.lab import story, tarn_ferries
from kiteroll.lab.name_server import NameServer, host_names
from kiteroll.lab.past import past_rounds
from kiteroll.lab.site import Site
from kiteroll.schemas.reading_convert import to_document


async def _serve(port: int, *, events: bool, notify: tuple[str, int] | None, start_s: float) -> None:
    world = tarn_ferries.build()
    names = NameServer(host_names(world))
    await names.open(port)
    site = Site(world, SystemClock(), port=port, notify=notify)
    site.open()
    if events:
        story.schedule(world, lambda line: print(f"lab: {line}", file=sys.stderr, flush=True), start_s)
    switches = [
        {
            "name": switch.name,
            "address": switch.address,
            "access": site.access_to(switch),
            "write_access": site.write_access_to(switch),
            "about": {
                "site": tarn_ferries.site_of(switch.name),
                "groups": tarn_ferries.groups_of(switch.name),
                "table_size": switch.table_size,
            },
        }
        for switch in world.switches.values()
    ]
    rules = [{"group": group, "seats": seats} for group, seats in tarn_ferries.SEATS.items()]
    rules += [{"group": group, "watched": True} for group in tarn_ferries.WATCHED]
    desk = {"switch": tarn_ferries.WATCHED_DESK[0], "port": f"p{tarn_ferries.WATCHED_DESK[1]}"}
    berth = {"switch": tarn_ferries.GUARDED_BERTH[0], "port": f"p{tarn_ferries.GUARDED_BERTH[1]}"}
    rules.append({**berth, "on_breach": "propose", "reopen_after_s": 30})
    rules.append({**desk, "seats": 1, "watched": True, "vlans": [tarn_ferries.LAPTOP.vlan]})
    rolls = [
        {"group": group, "prefix": f"{kind.prefix:06x}", "vlan": kind.vlan, "note": f"{kind.label}s"}
        for group, kinds in tarn_ferries.WATCHED.items()
        for kind in kinds
    ]
    laptop = tarn_ferries.own_address(tarn_ferries.DESK_LAPTOP)
    rolls.append({**desk, "prefix": str(laptop), "note": "Duty manager's laptop", "owner": "Ida Holm"})
    lost = tarn_ferries.own_address(tarn_ferries.LOST_LAPTOP)
    ready = {
        "port": port,
        "switches": switches,
        "makers": tarn_ferries.MAKERS,
        "rules": rules,
        "rolls": rolls,
        "barred": [{"prefix": str(lost), "reason": "crew laptop, reported lost"}],
        "window": {"switch": tarn_ferries.CREW_ROOM},
    }
    print(json.dumps(ready), flush=True)
    task = asyncio.create_task(site.run(), name="lab")
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(number, task.cancel)
    try:
        await task
    except asyncio.CancelledError:
        pass


def _print_past(days: int) -> None:
    """Print the rounds of readings of the days before now, one a line, as reading documents."""
    for readings in past_rounds(SystemClock().now(), days):
        documents = [to_document(reading).model_dump(mode="json") for reading in readings]
        print(json.dumps(documents), flush=True)


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m kiteroll.lab", description=__doc__)
    parser.add_argument(
        "--port", type=int, default=16100, help="UDP port of every agent (default %(default)s)"
    )
    parser.add_argument("--still", action="store_true", help="no events: the network at peace")
    parser.add_argument(
        "--notify",
        type=int,
        metavar="PORT",
        help="UDP port on loopback where notifications go (default: none)",
    )
    parser.add_argument(
        "--story-from", type=float, default=0.0, metavar="SECONDS", help="begin the events in the middle"
    )
    parser.add_argument(
        "--past", type=int, metavar="DAYS", help="only print readings of the days before now, and end"
    )
    args = parser.parse_args()
    if args.past is not None:
        _print_past(args.past)
        return 0
    notify = None if args.notify is None else ("127.0.0.1", args.notify)
    try:
        asyncio.run(_serve(args.port, events=not args.still, notify=notify, start_s=args.story_from))
    except Invalid as problem:
        print(f"lab: {problem}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
