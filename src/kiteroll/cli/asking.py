"""Commands that ask: find, on, changed, readings, health."""

from itertools import islice
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, add_group, shared
from kiteroll.client import changes, find, health, ports, readings, stays
from kiteroll.schemas import api

KINDS: tuple[api.ChangeKind, ...] = ("appeared", "moved", "quiet", "returned", "gone", "restarted")


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "find",
        run_find,
        "find endpoints, switches and ports by any part of their address or name",
        parents=parents,
        detail="Addresses may be in any notation; the last digits are enough:\n"
        "  kiteroll find 52:4e\n  kiteroll find 0a01.9e37 quay-2",
    )
    one.add_argument("text", nargs="+", help="a fragment of an address, a switch name, a label on a port")
    one.add_argument("--limit", type=int, default=50, help="endpoints a text (default 50)")
    one.add_argument(
        "--at", metavar="WHEN", help="who had that IP or name then, and where (2h, 14:05, a full time)"
    )

    things = add_group(commands, "on", "show who is on a switch, a port or a VLAN", of="THING")
    for name, run, words, summary in (
        ("switch", run_on_switch, ("switch",), "ports of a switch and how many addresses are on each"),
        ("port", run_on_port, ("switch", "port"), "addresses on one port"),
        ("vlan", run_on_vlan, ("vlan",), "addresses in a VLAN, wherever it reaches"),
    ):
        thing = add_command(things, name, run, summary, parents=parents)
        for word in words:
            thing.add_argument(word, type=int if word == "vlan" else str, help=f"the {word}")
        if name != "switch":
            thing.add_argument("--ended", action="store_true", help="also who was there before")
            thing.add_argument("--at", metavar="WHEN", help="who was there then (2h, 14:05, a full time)")
        else:
            thing.add_argument(
                "--addresses", action="store_true", help="list the addresses instead of the ports"
            )
            thing.add_argument("--at", metavar="WHEN", help="as it was then (2h, 14:05, a full time)")
        _add_limit(thing)

    changed = add_command(
        commands,
        "changed",
        run_changed,
        "show what changed, latest first",
        parents=parents,
        detail="Instants are spans back from now (15m, 2h, 3d), times of day in UTC (14:05)\n"
        "or full times (2026-05-04T14:05:00Z).",
    )
    changed.add_argument("--since", metavar="WHEN", default="1h", help="from then on (default 1h)")
    changed.add_argument("--until", metavar="WHEN", help="before then")
    changed.add_argument("--switch", metavar="NAME", help="on one switch")
    changed.add_argument("--mac", metavar="ADDRESS", help="of one address")
    changed.add_argument("--uplinks", action="store_true", help="also on ports that lead to other switches")
    changed.add_argument("--kind", action="append", choices=KINDS, help="only these; may be given again")
    _add_limit(changed)

    told = add_command(
        commands, "readings", run_readings, "show how readings went, latest first", parents=parents
    )
    told.add_argument("--switch", metavar="NAME", help="of one switch")
    _add_limit(told, 50)

    add_command(commands, "health", run_health, "show how the service is", parents=parents)


def run_find(context: Context) -> Exit:
    out, at = context.out, context.instant(context.args.at)
    with context.client() as client:
        found = [client.ask(find(text, limit=context.args.limit, at=at)) for text in context.args.text]
    if out.shape == "json":
        out.json(found)
    else:
        endpoints = list({one.mac: one for answer in found for one in answer.endpoints}.values())
        switches = list({one.name: one for answer in found for one in answer.switches}.values())
        matches = list({(one.switch, one.name): one for answer in found for one in answer.ports}.values())
        if endpoints or not (switches or matches) or out.shape == "csv":
            out.rows(
                endpoints,
                columns.endpoints(out),
                empty=f"nothing known {'then ' if at else ''}holds {' or '.join(context.args.text)}",
            )
        if switches and out.shape == "table":
            out.line("")
            out.rows(switches, columns.switches(out), empty="")
        if matches and out.shape == "table":
            out.line("")
            out.rows(matches, columns.ports(out), empty="")
    if any(answer.more for answer in found):
        out.note(f"more match; add digits, or raise --limit above {context.args.limit}", "dim")
    some = any(answer.endpoints or answer.switches or answer.ports for answer in found)
    return Exit.FINE if some else Exit.NOTHING


def run_on_switch(context: Context) -> Exit:
    args, out = context.args, context.out
    if args.addresses:
        return _show_stays(context, switch=args.switch)
    with context.client() as client:
        answer = client.ask(ports(args.switch, at=context.instant(args.at)))
    out.rows(answer, columns.ports(out), empty=f"{args.switch} has told of no port yet")
    return Exit.FINE if answer else Exit.NOTHING


def run_on_port(context: Context) -> Exit:
    return _show_stays(context, switch=context.args.switch, port=context.args.port, ended=context.args.ended)


def run_on_vlan(context: Context) -> Exit:
    return _show_stays(context, vlan=context.args.vlan, ended=context.args.ended)


def run_changed(context: Context) -> Exit:
    args, out = context.args, context.out
    now = context.now()
    question = changes(
        since=parse_instant(args.since, now),
        until=parse_instant(args.until, now) if args.until else None,
        switch=args.switch,
        mac=args.mac,
        kinds=args.kind or (),
        uplinks=args.uplinks,
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        answer = list(islice(client.each(question), args.limit))
    out.rows(answer, columns.changes(out), empty=f"nothing changed since {args.since}")
    _say_cut(context, len(answer))
    return Exit.FINE


def run_readings(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        answer = list(
            islice(client.each(readings(switch=args.switch, limit=min(args.limit, 1000))), args.limit)
        )
    out.rows(answer, columns.readings(out), empty="nothing was read yet")
    return Exit.FINE


def run_health(context: Context) -> Exit:
    with context.client() as client:
        answer = client.ask(health())
    if context.out.shape == "json":
        context.out.json(answer)
    else:
        context.out.facts((name.replace("_", " "), value) for name, value in answer if value != "")
    return Exit.FINE if answer.database == "up" else Exit.FAULT


def _show_stays(context: Context, **where: Any) -> Exit:
    out, limit = context.out, context.args.limit
    at = context.instant(context.args.at)
    with context.client() as client:
        answer = list(islice(client.each(stays(**where, at=at, limit=min(limit, 1000))), limit))
    words = " ".join(str(value) for name, value in where.items() if name != "ended")
    out.rows(answer, columns.stays(out), empty=f"nobody is on {words}")
    _say_cut(context, len(answer))
    return Exit.FINE if answer else Exit.NOTHING


def _say_cut(context: Context, shown: int) -> None:
    if shown == context.args.limit:
        context.out.note(f"the first {shown}; --limit shows more", "dim")


def _add_limit(parser: Any, default: int = 500) -> None:
    parser.add_argument("--limit", type=int, default=default, help=f"rows at most (default {default})")
