"""`kiteroll find`: endpoints, switches and ports by any part of their address or name."""

from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, shared
from kiteroll.client import search


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "find",
        run_find,
        "find endpoints, switches and ports by any part of their address or name",
        parents=(shared(),),
        detail="Addresses may be in any notation; the last digits are enough:\n"
        "  kiteroll find 52:4e\n  kiteroll find 0a01.9e37 quay-2",
    )
    one.add_argument("text", nargs="+", help="a fragment of an address, a switch name, a label on a port")
    one.add_argument("--limit", type=int, default=50, help="endpoints a text (default 50)")
    one.add_argument(
        "--at", metavar="WHEN", help="who had that IP or name then, and where (2h, 14:05, a full time)"
    )


def run_find(context: Context) -> Exit:
    out, at = context.out, context.instant(context.args.at)
    with context.client() as client:
        found = [client.send(search(text, limit=context.args.limit, at=at)) for text in context.args.text]
    if out.format == "json":
        out.json(found)
    else:
        endpoints = list({one.mac: one for answer in found for one in answer.endpoints}.values())
        switches = list({one.name: one for answer in found for one in answer.switches}.values())
        ports = list({(one.switch, one.name): one for answer in found for one in answer.ports}.values())
        if endpoints or not (switches or ports) or out.format == "csv":
            then = " at that time" if at else ""
            out.rows(
                endpoints,
                columns.endpoints(out),
                empty=f"no match for {' or '.join(context.args.text)}{then}",
            )
        if switches and out.format == "table":
            out.line("")
            out.rows(switches, columns.switches(out), empty="")
        if ports and out.format == "table":
            out.line("")
            out.rows(ports, columns.ports(out), empty="")
    if any(answer.more for answer in found):
        out.note(f"more match; add digits, or raise --limit above {context.args.limit}", "dim")
    some = any(answer.endpoints or answer.switches or answer.ports for answer in found)
    return Exit.OK if some else Exit.NOTHING
