"""`kiteroll port ...` and `kiteroll roll-call`: ports of a switch, what each is for, who is on one."""

from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, shared
from kiteroll.client import change_port, link_history, ports, roll_call
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "port", "list the ports of a switch, set their role, see link history", of="VERB"
    )
    one = add_command(
        verbs,
        "list",
        run_list,
        "list the ports of a switch and how many addresses are on each",
        parents=parents,
    )
    one.add_argument("--switch", metavar="NAME", required=True)
    one.add_argument("--at", metavar="WHEN", help="as they were then (2h, 14:05, a full time)")
    one = add_command(
        verbs, "link-history", run_link_history, "show what became of a port's link", parents=parents
    )
    one.add_argument("switch")
    one.add_argument("port")
    one.add_argument("--days", type=float, default=7, help="how far back (default 7)")
    one = add_command(verbs, "role", run_role, "set a port to uplink or access port", parents=parents)
    one.add_argument("switch")
    one.add_argument("port")
    one.add_argument("role", choices=("uplink", "access", "auto"), help="auto leaves it to the evidence")

    one = add_command(
        commands,
        "roll-call",
        run_roll_call,
        "show who is on a port, beside who may be",
        parents=parents,
        detail="Exits with 7 when the port is overfull, or watched and a stranger is there.",
    )
    one.add_argument("switch")
    one.add_argument("port")


def run_list(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        answer = client.send(ports(args.switch, at=context.instant(args.at)))
    out.rows(answer, columns.ports(out), empty=f"no ports of {args.switch} have been read yet")
    return Exit.OK if answer else Exit.NOTHING


def run_link_history(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.send(link_history(args.switch, args.port, days=args.days))
    out.rows(
        found, columns.link_history(out), empty=f"its link has not changed in the last {args.days:g} days"
    )
    return Exit.OK if found else Exit.NOTHING


def run_role(context: Context) -> Exit:
    args = context.args
    change = api.PortChange(role=None if args.role == "auto" else args.role)
    with context.client() as client:
        one = client.send(change_port(args.switch, args.port, change))
    kind = "an uplink" if one.role == "uplink" else "an access port"
    sentence = f"{one.switch} port {one.name} is {kind}: {one.role_evidence}"
    context.out.done(one, columns.ports(context.out), sentence)
    return Exit.OK


def run_roll_call(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        call = client.send(roll_call(args.switch, args.port))
    if out.format == "json":
        out.json(call)
        return _verdict(call)
    if out.format == "table":
        limit = "no limit" if call.seats is None else f"limit {call.seats}"
        out.facts(
            (
                ("seats", f"{call.count} present, {limit}"),
                ("watched", "yes" if call.watched else "no"),
                ("enrolled", call.roll or ["nothing"]),
                ("absent", call.absent or ["nobody"]),
                ("exempt", "yes, it is an uplink" if call.exempt else "no"),
            )
        )
        out.line("")
    out.rows(call.present, columns.occupants(), empty="no address is present")
    return _verdict(call)


def _verdict(call: api.RollCall) -> Exit:
    strangers = any(one.status == "stranger" for one in call.present)
    return Exit.BROKEN_RULE if call.overfull or strangers else Exit.OK
