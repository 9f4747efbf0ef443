"""`kiteroll rule ...` and `kiteroll rollcall`: who may be on a port, and who is."""

import getpass
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import enrol, roll_call, rules, set_rule, strike_off
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "rule", "say who may be on ports, and how many", of="VERB")
    add_command(verbs, "list", run_list, "show what is said, and every roll", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set,
        "set seats and watching of a group, a switch or a port",
        parents=parents,
        detail="What is not given stays as it is; auto leaves it to the level above: a port goes by its\n"
        "switch, a switch by its groups. Ports that lead to other switches are exempt.\n"
        "  kiteroll rule set --group access --seats 2\n"
        "  kiteroll rule set --switch quay-1 --port p18 --watched yes",
    )
    _add_level(one)
    one.add_argument("--seats", metavar="N", help="endpoints a port may carry, or auto")
    one.add_argument("--watched", choices=("yes", "no", "auto"), help="whether strangers are told of")
    one = add_command(
        verbs, "enrol", run_enrol, "put an address, or all that begin so, on a roll", parents=parents
    )
    one.add_argument("prefix", metavar="ADDRESS", help="6 to 12 hex digits, any notation")
    _add_level(one)
    one.add_argument("--vlan", type=int, help="only in this VLAN")
    one.add_argument("--note", default="", help="what it is")
    one.add_argument("--by", metavar="NAME", help="who enrols it (default: the name you are logged in by)")
    one = add_command(verbs, "strike", run_strike, "strike an entry off its roll", parents=parents)
    one.add_argument("number", type=int, help="as `kiteroll rule list` shows it")

    one = add_command(
        commands,
        "rollcall",
        run_roll_call,
        "show who is on a port, beside who may be",
        parents=parents,
        detail="Exits with 7 when the port is overfull, or watched and a stranger is there.",
    )
    one.add_argument("switch")
    one.add_argument("port")


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
        found = client.ask(rules())
    out.rows(found, columns.rules(), empty="nothing is said of any port: `kiteroll rule set` begins")
    entries = [(rule, entry) for rule in found for entry in rule.roll]
    if entries and out.shape == "table":
        out.line("")
        out.rows(entries, columns.roll_entries(), empty="")
    return Exit.FINE


def run_set(context: Context) -> Exit:
    args, level = context.args, _level(context)
    if args.seats is None and args.watched is None:
        raise Invalid("nothing to set was given: --seats or --watched")
    checked(api.RuleLevel, **level)
    with context.client() as client:
        known = (one for one in client.ask(rules()) if level == {key: getattr(one, key) for key in level})
        before = next(known, None)
        seats = before.seats if before and args.seats is None else args.seats
        watched = before.watched if before and args.watched is None else _YES_NO.get(args.watched)
        new = checked(api.NewRule, **level, seats=None if seats == "auto" else seats, watched=watched)
        client.ask(set_rule(new))
    context.out.note(f"{_named(new)}: {_said(new.seats, new.watched)}")
    return Exit.FINE


_YES_NO = {"yes": True, "no": False}


def run_enrol(context: Context) -> Exit:
    args = context.args
    by = args.by or getpass.getuser()
    given = {"prefix": args.prefix, "vlan": args.vlan, "note": args.note, "by": by}
    new = checked(api.NewEntry, **_level(context), **given)
    with context.client() as client:
        client.ask(enrol(new))
    context.out.note(f"{args.prefix} is enrolled on {_named(new)}")
    return Exit.FINE


def run_strike(context: Context) -> Exit:
    with context.client() as client:
        client.ask(strike_off(context.args.number))
    context.out.note(f"entry {context.args.number} is struck off")
    return Exit.FINE


def run_roll_call(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        told = client.ask(roll_call(args.switch, args.port))
    if out.shape == "json":
        out.json(told)
        return _verdict(told)
    if out.shape == "table":
        out.facts(
            (
                (
                    "seats",
                    "none are set" if told.seats is None else f"{told.taken} of {told.seats} are taken",
                ),
                ("watched", "yes" if told.watched else "no"),
                ("enrolled", told.roll or ["nothing"]),
                ("absent", told.absent or ["nobody"]),
                ("exempt", "yes, it leads to other switches" if told.exempt else "no"),
            )
        )
        out.line("")
    out.rows(told.present, columns.attendance(), empty="nobody is present")
    return _verdict(told)


def _verdict(told: api.RollCall) -> Exit:
    strangers = any(one.standing == "stranger" for one in told.present)
    return Exit.BROKEN_RULE if told.overfull or strangers else Exit.FINE


def _named(level: api.RuleLevel) -> str:
    if level.group is not None:
        return f"group {level.group}"
    return f"{level.switch} port {level.port}" if level.port else f"switch {level.switch}"


def _said(seats: int | None, watched: bool | None) -> str:
    told = [] if seats is None else [f"{seats} seats a port"]
    if watched is not None:
        told.append("watched" if watched else "not watched")
    return ", ".join(told) or "left to the level above"
