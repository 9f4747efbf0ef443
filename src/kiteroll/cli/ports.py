"""`kiteroll port ...`: ports of a switch, what each is for, and those that are not used as they could be."""

import argparse
from typing import Any

from kiteroll.cli import acting, columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, shared, span_s
from kiteroll.cli.unread import note_unread
from kiteroll.client import change_port, closed_ports, link_history, ports, ports_by_use, switch
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands,
        "port",
        "list ports, close and reopen them, set role and alias, see history and use",
        of="VERB",
    )
    one = add_command(
        verbs,
        "list",
        run_list,
        "list the ports of a switch and how many addresses are on each",
        parents=parents,
    )
    one.add_argument("switch")
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
        verbs,
        "close",
        run_close,
        "close a port: show the plan, ask, send it, read back",
        parents=parents,
        detail="The switch needs a credential to write with (`kiteroll switch change --write-credential`).\n"
        "Where nobody can be asked, only the plan is shown unless --yes is given.",
    )
    _add_port(one)
    one.add_argument("--reason", required=True, metavar="TEXT", help="why; kept with it")
    one.add_argument("--reopen-after", metavar="SPAN", help="open it by itself after (default: by a person)")
    acting.add_sending(one, guarded=True)
    one = add_command(verbs, "reopen", run_reopen, "open a port that was closed", parents=parents)
    _add_port(one)
    one.add_argument("--reason", default="reopened by hand", metavar="TEXT")
    acting.add_sending(one, guarded=True)
    one = add_command(
        verbs, "alias", run_alias, "set what the switch calls a port (ifAlias)", parents=parents
    )
    _add_port(one)
    one.add_argument("alias", help="at most 64 octets; empty takes it away")
    one.add_argument("--reason", default="alias set by hand", metavar="TEXT")
    acting.add_sending(one, guarded=False)
    one = add_command(
        verbs,
        "closed",
        run_closed,
        "list ports that are closed, why, and when each opens again",
        parents=parents,
    )
    one.add_argument("--elsewhere", action="store_true", help="those that somebody shut on the switches")

    one = add_command(
        verbs,
        "by-use",
        run_by_use,
        "list ports that are unused, up and silent, slow, or half duplex",
        parents=parents,
    )
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--group", metavar="NAME")
    one.add_argument("--unused", metavar="SPAN", default="30d", help="unused for so long (default 30d)")


def _add_port(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("switch")
    parser.add_argument("port")


def run_list(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        at = context.instant(args.at)
        answer = client.all(ports(args.switch, at=at))
        out.rows(answer, columns.ports(out), empty=f"no ports of {args.switch} have been read yet")
        # A table says nothing of its age; what else is odd about the switch belongs to `switch show`.
        if at is not None:
            note_unread(out, client, at, switch=args.switch)
        elif out.format == "table" and client.send(switch(args.switch)).health != "read":
            out.note(
                f"{args.switch} is not read in time: `kiteroll switch show {args.switch}` says why", "yellow"
            )
    return Exit.OK if answer else Exit.NOTHING


def run_link_history(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.all(link_history(args.switch, args.port, days=args.days))
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


def run_by_use(context: Context) -> Exit:
    args, out = context.args, context.out
    days = span_s(args.unused, "--unused") / 86400
    with context.client() as client:
        found = client.all(ports_by_use(unused_days=days, switch=args.switch, group=args.group))
    out.rows(found, columns.ports_by_use(out), empty="every port is used as it could be")
    return Exit.OK if found else Exit.NOTHING


def run_close(context: Context) -> Exit:
    args = context.args
    after = int(span_s(args.reopen_after, "--reopen-after")) if args.reopen_after else 0
    return acting.carry_out(
        context,
        kind="close-port",
        switch=args.switch,
        port=args.port,
        reason=args.reason,
        reopen_after_s=after,
    )


def run_reopen(context: Context) -> Exit:
    args = context.args
    return acting.carry_out(
        context, kind="reopen-port", switch=args.switch, port=args.port, reason=args.reason
    )


def run_alias(context: Context) -> Exit:
    args = context.args
    return acting.carry_out(
        context,
        kind="set-alias",
        switch=args.switch,
        port=args.port,
        alias=args.alias,
        reason=args.reason,
    )


def run_closed(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.send(closed_ports())
    if args.elsewhere:
        out.rows(found.elsewhere, columns.closed_elsewhere(out), empty="nobody shut a port on a switch")
        return Exit.OK if found.elsewhere else Exit.NOTHING
    out.rows(found.closed, columns.closed_ports(out), empty="no port is closed by Kite Roll")
    if found.stopped is not None:
        out.note(f"rules close no more ports by themselves: {found.stopped.why}", "yellow")
    if not found.can_write:
        out.note("no switch has a credential to write with: Kite Roll only reads", "dim")
    if found.elsewhere:
        out.note(f"{len(found.elsewhere)} more are shut on their switches: --elsewhere lists them", "dim")
    return Exit.OK if found.closed else Exit.NOTHING
