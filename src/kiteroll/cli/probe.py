"""`kiteroll probe`: read one switch directly, without service or database."""

import asyncio
from typing import Any

from kiteroll.cli.context import Context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, add_format
from kiteroll.cli.show import Column, speed
from kiteroll.cli.target import split_address
from kiteroll.clock import SystemClock
from kiteroll.collect.agent import Target
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.core.errors import Invalid
from kiteroll.duration import parse_duration_s
from kiteroll.schemas.reading_document import DocumentEntry, ReadingDocument, to_document
from kiteroll.snmp.message import V1, V2C

ENTRIES: list[Column[DocumentEntry]] = [
    Column(
        "vlan", lambda one: one.vlan, shown=lambda one: "?" if one.vlan is None else str(one.vlan), right=True
    ),
    Column("address", lambda one: one.mac, style=lambda _: "bold"),
    Column("port", lambda one: one.port, shown=lambda one: one.port or "?"),
    Column("status", lambda one: one.status, style=lambda one: "" if one.status == "learned" else "dim"),
]


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "probe",
        run_probe,
        "read one switch directly, to try it before adding it",
        detail="Needs neither service nor database. Its JSON is the reading document, described in\n"
        "docs/reading-document.md.\n"
        "Exit code 0: complete, 4: partial, 3: the switch does not answer.",
    )
    parser.add_argument(
        "address", metavar="ADDRESS[:PORT]", help="IP address or host name (port default 161)"
    )
    parser.add_argument(
        "--community", default="public", metavar="NAME", help="SNMP community (default public)"
    )
    parser.add_argument("--snmp", choices=("1", "2c"), default="2c", help="SNMP version (default 2c)")
    parser.add_argument(
        "--timeout",
        default="2s",
        metavar="SPAN",
        help="wait for one answer, such as 500ms or 2s (default 2s)",
    )
    parser.add_argument("--tries", type=int, default=3, help="how often one request is sent (default 3)")
    parser.add_argument("--total", default="60s", metavar="SPAN", help="time for all of it (default 60s)")
    add_format(parser)


def run_probe(context: Context) -> Exit:
    args, out = context.args, context.out
    host, port = split_address(args.address)
    target = Target(host=host, port=port, community=args.community, version=V1 if args.snmp == "1" else V2C)
    limits = _limits(args.timeout, args.tries, args.total)
    reading = asyncio.run(read_switch(target.address, target, SystemClock(), limits))
    document = to_document(reading)
    if out.shape == "json":
        out.json(document)
    elif out.shape == "csv":
        out.rows(document.entries, ENTRIES, empty="")
    else:
        _tell(context, document)
    for gap in document.gaps:
        out.note(
            f"{'not complete' if gap.breaks else 'left out'}: {gap.table}: {gap.why} ({gap.rows} rows)",
            "yellow",
        )
    return Exit.FINE if document.complete else Exit.PARTIAL


def _tell(context: Context, document: ReadingDocument) -> None:
    out, device = context.out, document.device
    up = sum(port.oper == "up" for port in document.ports)
    speeds = sorted({port.speed_bps for port in document.ports if port.speed_bps})
    out.facts(
        (
            ("switch", f"{device.name or '(no name)'} at {document.switch}"),
            ("description", device.description),
            ("location", device.location),
            ("up for", "" if device.uptime_s is None else f"{device.uptime_s / 86400:.1f} days"),
            ("bridge address", device.bridge_address),
            ("ageing time", "" if device.ageing_s is None else f"{device.ageing_s:g} s"),
            ("ports", f"{len(document.ports)}, {up} up, {', '.join(speed(one) for one in speeds)}"),
            ("vlans", [f"{vlan.id} {vlan.name}".strip() for vlan in document.vlans]),
            (
                "read",
                f"{'complete' if document.complete else 'partial'}, {len(document.entries)} rows "
                f"in {document.duration_s:g} s",
            ),
        )
    )
    out.line("")
    out.rows(document.entries, ENTRIES, empty="its MAC address table is empty")


def _limits(timeout: str, tries: int, total: str) -> Limits:
    try:
        return Limits(timeout_s=parse_duration_s(timeout), tries=tries, total_s=parse_duration_s(total))
    except ValueError as wrong:
        raise Invalid(f"--timeout, --tries or --total: {wrong}") from wrong
