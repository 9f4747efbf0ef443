"""`kiteroll find`: endpoints, switches and ports by any part of their address or name."""

import sys
from collections.abc import Callable, Iterator
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.columns.found import Found
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Output
from kiteroll.cli.parsing import add_command, shared
from kiteroll.client import ServiceError, search
from kiteroll.core.errors import Invalid
from kiteroll.core.search.search_query import split_list
from kiteroll.schemas import api

_AROUND = ",;()[]{}<>\"' \t"
"""What lists put around their parts."""
_NOT_AN_ADDRESS = 422


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "find",
        run_find,
        "find endpoints, switches and ports by any part of their address or name",
        parents=(shared(),),
        detail="Addresses may be in any notation; the last digits are enough:\n"
        "  kiteroll find 52:4e\n  kiteroll find 0a01.9e37 quay-2\n  kiteroll find - < list.txt",
    )
    one.add_argument(
        "text",
        nargs="+",
        help="a fragment of an address, a switch name, a label on a port; - reads a list from standard input",
    )
    one.add_argument("--limit", type=int, default=50, help="endpoints a text (default 50)")
    one.add_argument(
        "--at", metavar="WHEN", help="who had that IP or name then, and where (2h, 14:05, a full time)"
    )


def run_find(context: Context) -> Exit:
    out, at = context.out, context.instant(context.args.at)
    texts = _texts(context.args.text)
    found: list[api.SearchResult] = []
    rows: list[Found] = []
    missed = 0
    with context.client() as client:
        for text in texts:
            try:
                answer = client.send(search(text, limit=context.args.limit, at=at))
            except ServiceError as wrong:
                if wrong.status != _NOT_AN_ADDRESS or len(texts) == 1:
                    raise
                out.note(f"{text}: {wrong.problem.detail}", "yellow")
                rows.append(Found(text, "invalid", None))
                missed += 1
                continue
            found.append(answer)
            rows += _rows(answer)
            if not (answer.endpoints or answer.switches or answer.ports or answer.never_seen):
                out.note(f"{text}: no match{' at that time' if at else ''}", "yellow")
                missed += 1
            if answer.more:
                out.note(f"{text}: more match; add digits, or raise --limit", "dim")
    if out.format == "json":
        out.json(found)
    elif out.format == "csv":
        out.rows(rows, columns.found(), empty="")
    else:
        _tables(out, found)
    if missed == len(texts):
        return Exit.NOTHING
    return Exit.PARTIAL if missed else Exit.OK


def _texts(given: list[str]) -> list[str]:
    """Each text of the arguments, and of standard input for `-`, without what a list puts around them."""
    found: list[str] = []
    for one in given:
        several = sys.stdin.read() if one == "-" else one
        found += [text for part in split_list(several) if (text := part.strip(_AROUND))]
    if not found:
        raise Invalid("nothing to look for was given")
    return list(dict.fromkeys(found))


def _rows(answer: api.SearchResult) -> Iterator[Found]:
    for one in answer.endpoints:
        yield Found(answer.query, "endpoint", one)
    for label in answer.never_seen:
        yield Found(answer.query, "never seen", label)
    for switch in answer.switches:
        yield Found(answer.query, "switch", switch)
    for port in answer.ports:
        yield Found(answer.query, "port", port)
    if not (answer.endpoints or answer.switches or answer.ports or answer.never_seen):
        yield Found(answer.query, "nothing", None)


def _tables(out: Output, found: list[api.SearchResult]) -> None:
    endpoints = list({one.mac: one for answer in found for one in answer.endpoints}.values())
    switches = list({one.name: one for answer in found for one in answer.switches}.values())
    ports = list({(one.switch, one.name): one for answer in found for one in answer.ports}.values())
    never_seen = list({one.mac: one for answer in found for one in answer.never_seen}.values())
    tables: list[Callable[[], None]] = []
    if endpoints:
        tables.append(lambda: out.rows(endpoints, columns.endpoints(out), empty=""))
    if never_seen:
        tables.append(lambda: out.rows(never_seen, columns.labels(), empty=""))
    if switches:
        tables.append(lambda: out.rows(switches, columns.switches(out), empty=""))
    if ports:
        tables.append(lambda: out.rows(ports, columns.ports(out), empty=""))
    for number, show in enumerate(tables):
        if number:
            out.line("")
        show()
