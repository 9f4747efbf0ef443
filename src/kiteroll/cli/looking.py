"""Commands that look wider: compare, follow, export, report, vlans."""

import sys
from itertools import islice
from pathlib import Path
from typing import Any, BinaryIO

from kiteroll.cli import columns
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, shared
from kiteroll.client import all_vlans, comparison
from kiteroll.core.errors import Invalid

_FILES = ("csv", "json", "jsonl", "xml", "xlsx")


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "compare",
        run_compare,
        "show what differs between two instants: appeared, gone, moved, came back",
        parents=parents,
    )
    one.add_argument("since", metavar="WHEN", help="the earlier instant (2h, 14:05, a full time)")
    one.add_argument("until", metavar="WHEN", nargs="?", help="the later one (default: now)")
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--group", metavar="NAME")
    one.add_argument("--limit", type=int, default=500, help="rows at most (default 500)")

    one = add_command(
        commands,
        "follow",
        run_follow,
        "show changes and findings as they come, until Ctrl-C",
        parents=parents,
        detail="--format json prints one JSON object a line.",
    )
    one.add_argument("--readings", action="store_true", help="also each reading")

    one = add_command(
        commands,
        "export",
        run_export,
        "write a whole list to a file: CSV, JSON, JSON Lines, XML or XLSX",
        parents=parents,
        detail="LIST is switches, ports, neighbours, endpoints, stays, candidates, changes, readings,\n"
        "findings, comparison or vlans. The file's ending says which kind it is:\n"
        "  kiteroll export stays quay-1.xlsx --switch quay-1",
    )
    one.add_argument("list", metavar="LIST")
    one.add_argument("file", metavar="FILE", help="or - for standard output, with --as")
    one.add_argument("--as", dest="shape", choices=_FILES, help="which kind (default: by the file's ending)")
    for name in ("switch", "port", "mac", "group"):
        one.add_argument(f"--{name}", metavar="TEXT")
    one.add_argument("--vlan", type=int, metavar="ID")
    for name in ("since", "until", "at"):
        one.add_argument(f"--{name}", metavar="WHEN")
    one.add_argument("--ended", action="store_true", default=None, help="stays: ended ones too")

    one = add_command(
        commands,
        "report",
        run_report,
        "write every port of a switch as a printable HTML page",
        parents=parents,
    )
    one.add_argument("switch")
    one.add_argument("file", metavar="FILE", help="or - for standard output")

    add_command(commands, "vlans", run_vlans, "list VLANs across switches", parents=parents)


def run_compare(context: Context) -> Exit:
    args, now = context.args, context.now()
    question = comparison(
        parse_instant(args.since, now),
        until=parse_instant(args.until, now) if args.until else None,
        switch=args.switch,
        group=args.group,
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        answer = list(islice(client.each(question), args.limit))
    context.out.rows(answer, columns.compared(), empty="nothing differs")
    return Exit.FINE


def run_follow(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        for event, said in client.follow():
            if event == "hello" or (event == "reading" and not context.args.readings):
                continue
            if out.shape == "json":
                out.json_line({"event": event, **said})
            else:
                out.line(" ".join((event, *(f"{name}={value}" for name, value in said.items()))))
    return Exit.UNREACHABLE


def run_export(context: Context) -> Exit:
    args, now = context.args, context.now()
    shape = args.shape or Path(args.file).suffix.removeprefix(".")
    if shape not in _FILES:
        raise Invalid(f"{args.file!r}: its ending says no kind of file; say --as {'|'.join(_FILES)}")
    instants = {
        name: parse_instant(getattr(args, name), now).isoformat()
        for name in ("since", "until", "at")
        if getattr(args, name)
    }
    given = {name: getattr(args, name) for name in ("switch", "port", "mac", "group", "vlan", "ended")}
    return _download(context, f"/exports/{args.list}.{shape}", **given, **instants)


def run_report(context: Context) -> Exit:
    return _download(context, f"/switches/{context.args.switch}/report")


def run_vlans(context: Context) -> Exit:
    with context.client() as client:
        answer = client.ask(all_vlans())
    context.out.rows(answer, columns.vlans(), empty="no switch has told of a VLAN")
    return Exit.FINE if answer else Exit.NOTHING


def _download(context: Context, path: str, **params: Any) -> Exit:
    """Into a file beside the one that is meant first: a download that breaks off leaves no half one."""
    file = context.args.file
    with context.client() as client:
        pieces = client.download(path, **params)
        if file == "-":
            _write(sys.stdout.buffer, pieces)
            return Exit.FINE
        target = Path(file)
        part = target.with_name(f"{target.name}.part")
        try:
            with part.open("wb") as into:
                _write(into, pieces)
            part.replace(target)
        except OSError as wrong:
            raise Invalid(f"{file} cannot be written: {wrong.strerror}") from wrong
        finally:
            part.unlink(missing_ok=True)
    context.out.note(f"{file} is written")
    return Exit.FINE


def _write(into: BinaryIO, pieces: Any) -> None:
    for piece in pieces:
        into.write(piece)
