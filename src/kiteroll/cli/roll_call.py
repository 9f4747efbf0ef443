"""`kiteroll roll-call`: who is present on a port, a switch, a group or everywhere, beside who may be."""

from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

from kiteroll.cli import columns, levels
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Output
from kiteroll.cli.parsing import add_command, add_limit, shared
from kiteroll.client import Client, absent, call_against, roll_call, roll_calls
from kiteroll.core.errors import Invalid
from kiteroll.core.model.ranges import ranges
from kiteroll.schemas import api
from kiteroll.wording.spans import span

_PAGE = 1000


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "roll-call",
        run_roll_call,
        "show who is present beside who may be: on a port, a switch, a group or everywhere",
        parents=(shared(),),
        detail="  kiteroll roll-call                        everything that has a rule\n"
        "  kiteroll roll-call quay-1                 a switch\n"
        "  kiteroll roll-call quay-1 p18             a port, with who is there\n"
        "  kiteroll roll-call --group quays --broken ports at which a rule is broken\n"
        "  kiteroll roll-call --absent               who is enrolled and not present\n"
        "  kiteroll roll-call --against list.csv     a list of devices (device, switch, port)\n"
        "Exits with 7 where a rule is broken, or where the list and the network differ.",
    )
    one.add_argument("switch", nargs="?")
    one.add_argument("port", nargs="?")
    one.add_argument("--ports", metavar="RANGE", help="these ports of the switch (p1-p20)")
    one.add_argument("--group", metavar="NAME", help="the ports of a group's switches")
    one.add_argument("--broken", action="store_true", help="only ports at which a rule is broken")
    one.add_argument("--without-rule", action="store_true", help="ports without a rule too")
    one.add_argument("--absent", action="store_true", help="list who is enrolled and not present")
    one.add_argument("--against", metavar="LIST.csv", type=Path, help="compare with a list; - for stdin")
    add_limit(one)


def run_roll_call(context: Context) -> Exit:
    args = context.args
    if args.absent and args.against is not None:
        raise Invalid("--absent or --against, not both")
    at = levels.level(context)
    with context.client() as client:
        if args.against is not None:
            return _against(context, client, at)
        if args.absent:
            return _absent(context, client, at)
        if args.port is not None and args.switch is not None:
            return _one_port(context, client.send(roll_call(args.switch, args.port)))
        return _many(context, client, at)


def _many(context: Context, client: Client, at: api.RuleLevel) -> Exit:
    args, out = context.args, context.out
    rows: list[api.RollCallPort] = []
    cursor = None
    while True:
        page = client.send(
            roll_calls(
                at,
                broken=args.broken,
                without_rule=args.without_rule,
                cursor=cursor,
                limit=min(args.limit - len(rows), _PAGE),
            )
        )
        rows += page.items
        cursor = page.next
        if cursor is None or len(rows) >= args.limit:
            break
    totals = page.totals
    if out.format == "json":
        out.json({"totals": totals.model_dump(), "ports": [one.model_dump(mode="json") for one in rows]})
    else:
        empty = "no rule is broken" if args.broken else "no port has a rule (`kiteroll rule set`)"
        out.rows(rows, columns.roll_call_ports(), empty=empty)
    if out.format == "table":
        if cursor is not None:
            out.note(f"the first {len(rows)} ports; --limit shows more", "dim")
        out.note(_summary(totals), "bold")
        if totals.not_read:
            out.note(
                f"{totals.not_read} of the ports are of switches that are not read in time: who is there now "
                "is not known (`kiteroll switch list`)",
                "yellow",
            )
    return Exit.BROKEN_RULE if totals.broken else Exit.OK


def _summary(totals: api.RollCallTotals) -> str:
    return (
        f"{totals.ports} ports: {totals.broken} with a broken rule, {totals.overfull} overfull; "
        f"{totals.present} present, {totals.enrolled} enrolled, {totals.strangers} strangers, "
        f"{totals.out_of_place} out of place, {totals.barred} barred"
    )


def _absent(context: Context, client: Client, at: api.RuleLevel) -> Exit:
    found = client.all(absent(at))
    context.out.rows(found, columns.absent(context.out), empty="everybody who is enrolled is present")
    _note_unread(context.out, found)
    return Exit.OK


def _against(context: Context, client: Client, at: api.RuleLevel) -> Exit:
    expected = api.ExpectedList(text=levels.text_of(context.args.against) or " ", level=at)
    found = client.send(call_against(expected)).items
    context.out.rows(found, columns.attended(), empty="the list is empty, and nobody is present")
    counts = {one.attendance: 0 for one in found}
    for one in found:
        counts[one.attendance] += 1
    if context.out.format == "table":
        context.out.note(", ".join(f"{count} {what}" for what, count in sorted(counts.items())), "bold")
    _note_unread(context.out, found)
    return Exit.OK if set(counts) <= {"in place"} else Exit.BROKEN_RULE


def _note_unread(out: Output, found: Sequence[api.AbsentEntry] | Sequence[api.AttendedDevice]) -> None:
    count = sum(one.not_read for one in found)
    if count and out.format == "table":
        out.note(
            f"{count} of these are of the latest reading of a switch that is not read in time: whether "
            "it is so now is not known (`kiteroll switch list`)",
            "yellow",
        )


def _one_port(context: Context, call: api.RollCall) -> Exit:
    out = context.out
    if out.format == "json":
        out.json(call)
        return _verdict(call)
    if out.format == "table":
        out.facts(
            (
                *((("not read for", _not_read_for(out, call)),) if call.not_read else ()),
                ("seats", _sourced(call, "seats", _seats(call))),
                ("watched", _sourced(call, "watched", "yes" if call.watched else "no")),
                ("vlans", _sourced(call, "vlans", _vlans(call))),
                ("on breach", _sourced(call, "on_breach", call.on_breach)),
                ("reopen after", _sourced(call, "reopen_after", _reopen(call))),
                ("enrolled", call.roll or ["nothing"]),
                ("absent", call.absentees or ["nobody"]),
                ("exempt", _sourced(call, "uplinks", "yes, it is an uplink" if call.exempt else "no")),
            )
        )
        out.line("")
    out.rows(call.occupants, columns.occupants(), empty="no address is present")
    if out.format == "table":
        for one in call.replacements:
            out.note(
                f"{one.mac} may stand in for {one.absent}: `kiteroll rule replace {one.entry} {one.mac}`",
                "yellow",
            )
    return _verdict(call)


def _seats(call: api.RollCall) -> str:
    limit = "no limit" if call.seats in (None, "no limit") else f"limit {call.seats}, room {call.room}"
    remarks = []
    if call.random:
        remarks.append(f"{call.random} likely random")
    if call.newcomers:
        remarks.append(f"{call.newcomers} came within the last ageing time")
    aside = f" ({', '.join(remarks)})" if remarks else ""
    return f"{call.present} present{aside}, {limit}"


def _vlans(call: api.RollCall) -> str:
    return "any" if call.vlans is None else ", ".join(ranges(call.vlans)) or "none"


def _reopen(call: api.RollCall) -> str:
    return span(timedelta(seconds=call.reopen_after_s)) if call.reopen_after_s else "never by itself"


def _not_read_for(out: Output, call: api.RollCall) -> str:
    """Of a switch that is not read in time."""
    return f"{out.age(call.read_at)}: who is here now is not known" if call.read_at else "ever"


def _sourced(call: api.RollCall, name: str, text: str) -> str:
    source = call.sources.get(name)
    return f"{text}   (set for {source})" if source else text


def _verdict(call: api.RollCall) -> Exit:
    return Exit.BROKEN_RULE if call.broken else Exit.OK
