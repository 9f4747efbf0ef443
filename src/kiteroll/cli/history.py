"""What changed and what differs: `kiteroll changes`, `compare`, `follow`, `readings`, `vlans`, `health`."""

from itertools import islice
from typing import Any, get_args

from kiteroll.cli import columns
from kiteroll.cli.addresses import whole_address
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_limit, note_cut, shared
from kiteroll.cli.unread import note_unread
from kiteroll.client import all_vlans, changes, differences, health, hours, readings
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api
from kiteroll.schemas.stream import EventName


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "changes",
        run_changes,
        "list what changed, latest first",
        parents=parents,
        detail="Times are spans back from now (15m, 2h, 3d), times of day in UTC (14:05)\n"
        "or full times (2026-05-04T14:05:00Z).",
    )
    one.add_argument("--since", metavar="WHEN", default="1h", help="from then on (default 1h)")
    one.add_argument("--until", metavar="WHEN", help="before then")
    one.add_argument("--switch", metavar="NAME", help="on one switch")
    one.add_argument("--mac", metavar="ADDRESS", help="of one address")
    one.add_argument("--uplinks", action="store_true", help="also on uplinks")
    one.add_argument(
        "--kind", action="append", choices=get_args(api.ChangeKind), help="only these; may be given again"
    )
    add_limit(one)

    one = add_command(
        commands,
        "compare",
        run_compare,
        "list what differs between two instants: who appeared, left, moved, came back",
        parents=parents,
    )
    one.add_argument("since", metavar="WHEN", help="the earlier instant (2h, 14:05, a full time)")
    one.add_argument("until", metavar="WHEN", nargs="?", help="the later one (default: now)")
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--group", metavar="NAME")
    add_limit(one)

    one = add_command(
        commands,
        "follow",
        run_follow,
        "show changes and findings as they come, until Ctrl-C",
        parents=parents,
        detail="--format json prints one JSON object a line, csv a row for each event.\n"
        "A connection that is lost is made again, and goes on where it was.",
    )
    one.add_argument("--readings", action="store_true", help="also each reading")
    one.add_argument("--switch", metavar="NAME", help="only of one switch")
    one.add_argument("--findings", action="store_true", help="only findings")
    one.add_argument("--uplinks", action="store_true", help="also changes on uplinks")

    one = add_command(
        commands, "readings", run_readings, "list readings and failed tries, latest first", parents=parents
    )
    one.add_argument("--switch", metavar="NAME", help="of one switch")
    add_limit(one, 50)

    one = add_command(
        commands,
        "hours",
        run_hours,
        "show what came hour by hour: readings, changes, new endpoints, findings",
        parents=parents,
    )
    one.add_argument(
        "--last", type=int, default=24, metavar="N", help="the last so many hours, at most 168 (default: 24)"
    )

    add_command(commands, "vlans", run_vlans, "list VLANs across switches", parents=parents)
    add_command(commands, "health", run_health, "show service status", parents=parents)


def run_changes(context: Context) -> Exit:
    args, out = context.args, context.out
    now = context.now()
    since = parse_instant(args.since, now)
    until = parse_instant(args.until, now) if args.until else None
    if until is not None and until <= since:
        raise Invalid(f"--until {args.until} is not later than --since {args.since}")
    with context.client() as client:
        request = changes(
            since=since,
            until=until,
            switch=args.switch,
            mac=args.mac and whole_address(context, client, args.mac),
            kinds=args.kind or (),
            uplinks=args.uplinks,
            limit=min(args.limit, 1000),
        )
        answer = list(islice(client.each(request), args.limit))
    out.rows(answer, columns.changes(out), empty=f"no changes since {args.since}")
    note_cut(context, len(answer))
    return Exit.OK


def run_compare(context: Context) -> Exit:
    args, now = context.args, context.now()
    since = parse_instant(args.since, now)
    until = parse_instant(args.until, now) if args.until else None
    request = differences(
        since,
        until=until,
        switch=args.switch,
        group=args.group,
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        answer = list(islice(client.each(request), args.limit))
        context.out.rows(answer, columns.differences(), empty="no differences")
        note_cut(context, len(answer))
        for at in (since, until):
            note_unread(context.out, client, at, switch=args.switch, group=args.group)
    return Exit.OK


def run_follow(context: Context) -> Exit:
    args, out = context.args, context.out
    wanted: list[EventName] = ["finding"] if args.findings else ["change", "finding", "rules"]
    wanted += ["reading"] if args.readings else []
    rows = columns.stream_events()
    with context.client() as client:
        stream = client.follow(events=wanted, switch=args.switch, uplinks=args.uplinks)
        for number, event in enumerate(stream):
            if event.event == "hello":
                if number and event.resumed:
                    out.note("the connection was lost, and is there again", "dim")
                continue
            if event.event == "resync":
                out.note(
                    "events were missed: `kiteroll changes` and `kiteroll finding list` have them", "yellow"
                )
            else:
                out.stream(event, rows)
    return Exit.OK


def run_readings(context: Context) -> Exit:
    args, out = context.args, context.out
    request = readings(switch=args.switch, limit=min(args.limit, 1000))
    with context.client() as client:
        answer = list(islice(client.each(request), args.limit))
    out.rows(answer, columns.readings(out), empty="no readings yet")
    return Exit.OK


def run_hours(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(hours(context.args.last))
    context.out.rows(answer, columns.hours(), empty="no hours")
    return Exit.OK


def run_vlans(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(all_vlans())
    context.out.rows(answer, columns.vlans(), empty="no VLANs have been read yet")
    return Exit.OK if answer else Exit.NOTHING


def run_health(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        answer = client.send(health())
    if out.format == "json":
        out.json(answer)
    else:
        facts = (
            (name.replace("_", " "), value)
            for name, value in answer
            if name != "workers" and value not in ("", None) and (name != "clock_ahead_s" or value)
        )
        out.facts(facts)
        out.line("")
        out.rows(answer.workers, columns.workers(out), empty="")
    well = answer.database == "up" and all(one.running for one in answer.workers)
    return Exit.OK if well else Exit.FAULT
