"""`kiteroll rule ...`: who may be on ports, and how many."""

import getpass
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import enrol, rules, set_rule, strike_off
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "rule", "set who may be on ports, and how many", of="VERB")
    add_command(verbs, "list", run_list, "list rules and rolls", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set,
        "set seats and watching of a group, a switch or a port",
        parents=parents,
        detail="What is not given stays as it is; auto inherits: a port from its switch,\n"
        "a switch from its groups. Uplinks are exempt.\n"
        "  kiteroll rule set --group access --seats 2\n"
        "  kiteroll rule set --switch quay-1 --port p18 --watched yes",
    )
    _add_level(one)
    one.add_argument("--seats", metavar="N", help="endpoints a port may carry, or auto")
    one.add_argument("--watched", choices=("yes", "no", "auto"), help="whether strangers raise a finding")
    one = add_command(verbs, "enrol", run_enrol, "enrol an address or a prefix", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS", help="6 to 12 hex digits, any notation")
    _add_level(one)
    one.add_argument("--vlan", type=int, help="only in this VLAN")
    one.add_argument("--note", default="", help="what it is")
    one.add_argument("--by", metavar="NAME", help="who enrols it (default: your login name)")
    one = add_command(verbs, "remove", run_remove, "strike an entry off its roll", parents=parents)
    one.add_argument("number", type=int, help="as `kiteroll rule list` shows it")


def _add_level(parser: Any) -> None:
    parser.add_argument("--group", metavar="NAME", help="of every port of a group's switches")
    parser.add_argument("--switch", metavar="NAME", help="of every port of a switch")
    parser.add_argument("--port", metavar="PORT", help="of this port of --switch alone")


def _level(context: Context) -> dict[str, str | None]:
    args = context.args
    return {"group": args.group, "switch": args.switch, "port": args.port}


def run_list(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        found = client.send(rules())
    out.rows(found, columns.rules(), empty="no rules yet: `kiteroll rule set` adds one")
    entries = [(rule, entry) for rule in found for entry in rule.roll]
    if entries and out.format == "table":
        out.line("")
        out.rows(entries, columns.roll_entries(), empty="")
    return Exit.OK


def run_set(context: Context) -> Exit:
    args, level = context.args, _level(context)
    if args.seats is None and args.watched is None:
        raise Invalid("nothing to set was given: --seats or --watched")
    checked(api.RuleLevel, **level)
    with context.client() as client:
        known = (one for one in client.send(rules()) if level == {key: getattr(one, key) for key in level})
        before = next(known, None)
        seats = before.seats if before and args.seats is None else args.seats
        watched = before.watched if before and args.watched is None else _YES_NO.get(args.watched)
        new = checked(api.NewRule, **level, seats=None if seats == "auto" else seats, watched=watched)
        client.send(set_rule(new))
    context.out.note(f"{_named(new)}: {_summary(new.seats, new.watched)}")
    return Exit.OK


_YES_NO = {"yes": True, "no": False}


def run_enrol(context: Context) -> Exit:
    args = context.args
    by = args.by or getpass.getuser()
    given = {"prefix": args.prefix, "vlan": args.vlan, "note": args.note, "by": by}
    new = checked(api.NewEntry, **_level(context), **given)
    with context.client() as client:
        client.send(enrol(new))
    context.out.note(f"{args.prefix} is enrolled on {_named(new)}")
    return Exit.OK


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(strike_off(context.args.number))
    context.out.note(f"entry {context.args.number} struck off its roll")
    return Exit.OK


def _named(level: api.RuleLevel) -> str:
    if level.group is not None:
        return f"group {level.group}"
    return f"{level.switch} port {level.port}" if level.port else f"switch {level.switch}"


def _summary(seats: int | None, watched: bool | None) -> str:
    parts = [] if seats is None else [f"{seats} seat{'' if seats == 1 else 's'} a port"]
    if watched is not None:
        parts.append("watched" if watched else "not watched")
    return ", ".join(parts) or "inherited"
