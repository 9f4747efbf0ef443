"""`kiteroll probe`: read one switch directly, without service or database.

What reads it is imported only when it runs: every other command shall start without.
"""

import asyncio
from typing import Any

from kiteroll.cli import credential_options
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.host_port import split_address
from kiteroll.cli.output import Column
from kiteroll.cli.parsing import add_command, add_format
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Invalid
from kiteroll.core.model.ranges import ranges
from kiteroll.core.model.reading import Reading
from kiteroll.duration import parse_duration_s
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import (
    DocumentAddress,
    DocumentEntry,
    DocumentNeighbour,
    DocumentPort,
    ReadingDocument,
)
from kiteroll.wording.spans import speed_text
from kiteroll.wording.switches import empty_table_text

ENTRIES: list[Column[DocumentEntry]] = [
    Column("vlan", lambda one: one.vlan, shown=lambda one: str(one.vlan or "?"), right=True),
    Column("address", lambda one: one.mac, style=lambda _: "bold"),
    Column("port", lambda one: one.port, shown=lambda one: one.port or "?"),
    Column("status", lambda one: one.status, style=lambda one: "" if one.status == "learned" else "dim"),
]
ADDRESSES: list[Column[DocumentAddress]] = [
    Column("ip", lambda one: one.ip, style=lambda _: "bold"),
    Column("address", lambda one: one.mac),
]
PORTS: list[Column[DocumentPort]] = [
    Column("port", lambda one: one.name, style=lambda _: "bold"),
    Column("state", lambda one: one.oper, style=lambda one: "green" if one.oper == "up" else "dim"),
    Column("admin", lambda one: "" if one.admin == "up" else "off"),
    Column("speed", lambda one: speed_text(one.speed_bps), right=True),
    Column("duplex", lambda one: one.duplex),
    Column("untagged", lambda one: _vlans(one.untagged)),
    Column("tagged", lambda one: _vlans(one.tagged)),
    Column("default", lambda one: one.default_vlan, right=True),
    Column("in bundle", lambda one: one.aggregate),
    Column("partner", lambda one: one.partner),
    Column("spanning tree", lambda one: one.spanning_tree),
    Column("label", lambda one: one.alias),
]
NEIGHBOURS: list[Column[DocumentNeighbour]] = [
    Column("port", lambda one: one.port, style=lambda _: "bold"),
    Column("neighbour", lambda one: one.name),
    Column("its port", lambda one: one.port_id),
    Column("chassis", lambda one: one.chassis),
    Column("address", lambda one: one.addresses),
    Column("capabilities", lambda one: one.capabilities),
]


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "probe",
        run_probe,
        "read one switch directly, to try it before adding it",
        detail="Needs neither service nor database. Its JSON is the reading document, described in\n"
        "docs/reading-document.md.\n"
        "Exit code 0: complete, 4: partial, 3: the switch does not answer or refuses.",
    )
    parser.add_argument(
        "address",
        metavar="ADDRESS[:PORT]",
        help="IP address or host name (port default 161); with --source linux: BRIDGE or BRIDGE@NAMESPACE",
    )
    parser.add_argument(
        "--source", choices=("snmp", "linux"), default="snmp", help="linux: a bridge of this machine"
    )
    credential_options.add_options(parser, community="public")
    parser.add_argument(
        "--timeout", default="2s", metavar="SPAN", help="wait for one answer, such as 500ms (default 2s)"
    )
    parser.add_argument("--tries", type=int, default=3, help="how often one request is sent (default 3)")
    parser.add_argument("--total", default="60s", metavar="SPAN", help="time for all of it (default 60s)")
    parser.add_argument(
        "--name",
        metavar="SWITCH",
        help="call it so in the document, for `kiteroll import` (default: its address)",
    )
    add_format(parser)


def run_probe(context: Context) -> Exit:
    args, out = context.args, context.out
    document = to_document(asyncio.run(_read(args)))
    if out.format == "json":
        out.json(document)
    elif out.format == "csv":
        out.rows(document.entries, ENTRIES, empty="")
    else:
        _show(context, document)
    for gap in document.gaps:
        kind = "not complete" if gap.breaks else "left out"
        out.note(f"{kind}: {gap.table}: {gap.why} ({gap.rows} rows)", "yellow")
    ports_up = sum(port.oper == "up" and port.bridged for port in document.ports)
    if document.complete and not document.entries and ports_up and args.source == "snmp":
        out.note(empty_table_text(ports_up), "yellow")
    return Exit.OK if document.complete else Exit.PARTIAL


async def _read(args: Any) -> Reading:
    from kiteroll.collect.credential import make_target
    from kiteroll.collect.limits import Limits
    from kiteroll.collect.linux_bridge import Bridge, read_bridge
    from kiteroll.collect.snmp_reader import read_switch

    try:
        timeout_s, total_s = parse_duration_s(args.timeout), parse_duration_s(args.total)
        limits = Limits(timeout_s=timeout_s, tries=args.tries, total_s=total_s)
    except ValueError as wrong:
        raise Invalid(f"--timeout, --tries or --total: {wrong}") from wrong
    if args.source == "linux":
        bridge = Bridge.parse(args.address)
        return await read_bridge(args.name or bridge.address, bridge, SystemClock(), limits)
    host, port = split_address(args.address)
    target = make_target(host, port, credential_options.given(args))
    return await read_switch(args.name or target.address, target, SystemClock(), limits)


def _show(context: Context, document: ReadingDocument) -> None:
    out, device = context.out, document.device
    up = sum(port.oper == "up" for port in document.ports)
    changed = f", the last {out.age(device.topology_changed_at)} ago" if device.topology_changed_at else ""
    facts = (
        ("switch", f"{device.name or '(no name)'} at {document.switch}"),
        ("description", device.description),
        ("model", " ".join(part for part in (device.model, device.software) if part)),
        ("serial number", device.serial),
        ("location", device.location),
        ("contact", device.contact),
        ("up for", "" if device.uptime_s is None else f"{device.uptime_s / 86400:.1f} days"),
        ("bridge address", device.bridge_address),
        ("ageing time", "" if device.ageing_s is None else f"{device.ageing_s:g} s"),
        (
            "topology changes",
            "" if device.topology_changes is None else f"{device.topology_changes}{changed}",
        ),
        ("learning discards", device.learning_discards),
        ("vlans", [f"{vlan.id} {vlan.name}".strip() for vlan in document.vlans]),
        ("ports", f"{len(document.ports)}, {up} up"),
        (
            "read",
            f"{'complete' if document.complete else 'partial'}, {len(document.entries)} rows in "
            f"{document.duration_s:g} s",
        ),
    )
    out.facts((name, value) for name, value in facts if value not in ("", None, []))
    out.line("")
    out.rows(document.ports, PORTS, empty="no ports")
    out.line("")
    if document.neighbours:
        out.rows(document.neighbours, NEIGHBOURS, empty="")
        out.line("")
    out.rows(document.entries, ENTRIES, empty="its MAC address table is empty")
    if document.addresses:
        out.line("")
        out.rows(document.addresses, ADDRESSES, empty="")


def _vlans(vlans: list[int]) -> str:
    return ",".join(ranges(vlans))
