"""`kiteroll switch ...`: the inventory."""

import argparse
from pathlib import Path
from typing import Any, get_args

from kiteroll.cli import acting, bulk, columns, credential_options, links, rounds, unread
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.host_port import split_address
from kiteroll.cli.inventory_files import WORDS
from kiteroll.cli.parsing import add_command, add_group, checked, shared, span_s
from kiteroll.client import (
    add_switch,
    ageing_advice,
    change_switch,
    discovered_switches,
    neighbours,
    remove_switch,
    switch,
    switch_links,
    switches,
    vlans,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "switch", "add, list, show, change, remove or read switches", of="VERB")

    one = add_command(verbs, "add", run_add, "add a switch; it is read at once", parents=parents)
    one.add_argument("name")
    one.add_argument(
        "address",
        nargs="?",
        default="",
        metavar="ADDRESS[:PORT]",
        help="IP address or host name (port default 161); with --source linux: BRIDGE or BRIDGE@NAMESPACE",
    )
    one.add_argument(
        "--source",
        choices=("snmp", "linux", "files"),
        default="snmp",
        help="polled over SNMP (default); a bridge of the service's own machine; or readings from files only",
    )
    _add_settings(one)

    one = add_command(verbs, "list", run_list, "list the inventory", parents=parents)
    one.add_argument("--site", metavar="NAME")
    one.add_argument("--group", metavar="NAME")
    one.add_argument(
        "--health", action="append", choices=get_args(api.Health), help="such as silent; may be repeated"
    )

    one = add_command(verbs, "show", run_show, "show everything known of one switch", parents=parents)
    one.add_argument("name", metavar="SWITCH")

    one = add_command(
        verbs,
        "open",
        run_open,
        "print the links to a switch, or one of them",
        parents=parents,
        detail="`kiteroll device-link set` makes links. One that is named is printed alone.",
    )
    one.add_argument("name", metavar="SWITCH")
    one.add_argument("link", metavar="LINK", nargs="?")

    one = add_command(verbs, "change", run_change, "change what is given, leave the rest", parents=parents)
    one.add_argument("name", metavar="SWITCH")
    one.add_argument("--name", dest="new_name", metavar="NEW", help="rename it")
    one.add_argument("--address", metavar="ADDRESS[:PORT]")
    _add_settings(one)
    state = one.add_mutually_exclusive_group()
    state.add_argument("--on", dest="enabled", action="store_true", default=None, help="read it again")
    state.add_argument("--off", dest="enabled", action="store_false", help="stop reading it, keep it")

    one = add_command(
        verbs, "remove", run_remove, "remove a switch from the inventory; its history stays", parents=parents
    )
    one.add_argument("name", metavar="SWITCH")

    add_command(
        verbs,
        "discovered",
        run_discovered,
        "list neighbours that are bridges and not in the inventory",
        parents=parents,
    )

    unread.add_to(verbs)

    one = add_command(verbs, "read", run_read, "read switches now", parents=parents)
    one.add_argument("name", metavar="SWITCH", nargs="*")
    one.add_argument("--group", metavar="NAME", help="those in this group")
    one.add_argument("--site", metavar="NAME", help="those at this site")
    one.add_argument("--all", action="store_true", help="every switch that is to be read")

    one = add_command(
        verbs,
        "ageing-time",
        run_ageing_time,
        "advise on how long a switch keeps addresses, or set it",
        parents=parents,
        detail="Without SECONDS: what would suit it, by its history. The standard recommends 300.",
    )
    one.add_argument("name", metavar="SWITCH")
    one.add_argument("seconds", type=int, nargs="?", help="10 to 1000000 (dot1dTpAgingTime)")
    one.add_argument("--days", type=float, default=7, help="of history, for the advice (default 7)")
    one.add_argument("--reason", default="set by hand", metavar="TEXT")
    acting.add_sending(one, guarded=False)

    one = add_command(
        verbs,
        "import",
        run_import,
        "add and change switches from a file",
        parents=parents,
        detail=f"CSV, JSON (.json, .jsonl), YAML, or a host list (.ini); an exported inventory, too.\n"
        f"Words: {', '.join(WORDS)}.\n"
        "groups are separated by blanks. Nothing is done unless all of it is right.",
    )
    one.add_argument("file", type=Path)
    one.add_argument("--credential", metavar="NAME", help="of new switches that name none in the file")
    one.add_argument("--dry-run", action="store_true", help="only show what it would change")


def _add_settings(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--credential", metavar="NAME", help="a named credential (`kiteroll credential list`)"
    )
    parser.add_argument(
        "--write-credential",
        metavar="NAME",
        help="a named credential to write with; without one it is only read. '' takes it back",
    )
    credential_options.add_options(parser)
    about = parser.add_argument_group("settings")
    about.add_argument(
        "--every", metavar="SPAN", help="between readings, such as 30s or 5m (default: the service's)"
    )
    about.add_argument("--timeout", metavar="SPAN", help="wait for one answer, such as 500ms")
    about.add_argument("--tries", type=int, metavar="NUMBER", help="how often one request is sent")
    about.add_argument(
        "--hold-time", metavar="SPAN", help="how long quiet addresses keep their stay, such as 30m"
    )
    about.add_argument(
        "--table-size", type=int, metavar="NUMBER", help="addresses its table holds; warns when nearly full"
    )
    about.add_argument("--site", metavar="TEXT")
    about.add_argument("--group", action="append", metavar="NAME", help="may be given again")
    about.add_argument("--notes", metavar="TEXT")


def _settings(args: argparse.Namespace) -> dict[str, Any]:
    """Settings and credential as typed."""
    access = credential_options.given(args)
    return {
        "credential": args.credential,
        "write_credential": args.write_credential,
        "access": access or None,
        "interval_s": None if args.every is None else round(span_s(args.every, "--every")),
        "timeout_s": None if args.timeout is None else span_s(args.timeout, "--timeout"),
        "hold_time_s": None if args.hold_time is None else round(span_s(args.hold_time, "--hold-time")),
        "tries": args.tries,
        "table_size": args.table_size,
        "site": args.site,
        "groups": args.group,
        "notes": args.notes,
    }


def run_add(context: Context) -> Exit:
    args = context.args
    host, port = args.address, None
    if args.source == "snmp":
        credential_options.check_given(args)
        host, port = split_address(args.address)
    new = checked(api.NewSwitch, name=args.name, source=args.source, host=host, port=port, **_settings(args))
    with context.client() as client:
        added = client.send(add_switch(new))
    hint = f"`kiteroll switch show {added.name}` shows how it is read"
    context.out.done(added, columns.switches(context.out), f"{added.name} is in the inventory; {hint}")
    for warning in added.warnings:
        context.out.note(warning, "yellow")
    return Exit.OK


def run_list(context: Context) -> Exit:
    args = context.args
    with context.client() as client:
        every = client.each(switches(site=args.site, group=args.group))
        answer = [one for one in every if not args.health or one.health in args.health]
    narrowed = args.site or args.group or args.health
    none = "no switches yet: `kiteroll switch add NAME ADDRESS --community NAME`"
    empty = "no switch is like that" if narrowed else none
    context.out.rows(answer, columns.switches(context.out), empty=empty)
    return Exit.OK


def run_show(context: Context) -> Exit:
    name, out = context.args.name, context.out
    with context.client() as client:
        one = client.send(switch(name))
        its_vlans = client.all(vlans(name))
        its_neighbours = client.all(neighbours(name))
    if out.format != "table":
        out.rows([one], columns.switches(out), empty="")
        return Exit.OK
    without = {"port"} if one.source != "snmp" else set()
    shown = ((key, value) for key, value in one if key not in without and value not in ("", None, []))
    facts = [(key.replace("_", " "), value) for key, value in shown]
    facts.append(("vlans", [columns.vlan_text(vlan.id, vlan.name) for vlan in its_vlans]))
    out.facts(facts)
    if its_neighbours:
        out.line("")
        out.rows(its_neighbours, columns.neighbours(out), empty="")
    return Exit.OK


def run_discovered(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(discovered_switches())
    empty = "every neighbouring bridge is in the inventory"
    context.out.rows(answer, columns.neighbours(context.out), empty=empty)
    return Exit.OK


def run_change(context: Context) -> Exit:
    args = context.args
    host, port = _new_address(args.address)
    change = checked(
        api.SwitchChange, name=args.new_name, host=host, port=port, enabled=args.enabled, **_settings(args)
    )
    if change == api.SwitchChange():
        raise Invalid("nothing to change was given: `kiteroll switch change --help` lists what can be")
    with context.client() as client:
        changed = client.send(change_switch(args.name, change))
    context.out.done(changed, columns.switches(context.out), f"{changed.name} is changed")
    return Exit.OK


def _new_address(text: str | None) -> tuple[str | None, int | None]:
    """A bridge's name goes as it is: whether the switch is one, the service knows."""
    if text is None:
        return None, None
    return split_address(text) if "@" not in text else (text, None)


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_switch(context.args.name))
    context.out.note(
        f"{context.args.name} removed from the inventory; its history stays: `kiteroll changes --switch`, "
        "`kiteroll endpoint list --ended --switch`"
    )
    return Exit.OK


def run_read(context: Context) -> Exit:
    args, out = context.args, context.out
    if not args.name or args.group is not None or args.site is not None or args.all:
        return rounds.begin(context)
    answers = bulk.read_many(context, args.name)
    out.rows(answers, columns.readings(out), empty="")
    outcomes = {answer.outcome for answer in answers}
    if "failed" in outcomes:
        return Exit.UNREACHABLE
    return Exit.PARTIAL if "partial" in outcomes else Exit.OK


def run_open(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(switch_links(context.args.name))
    return links.print_links(context, found)


def run_import(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        plan = bulk.plan_import(client, args.file, args.credential)
        if not args.dry_run:
            bulk.carry_out(client, plan)
    out.rows(plan.steps, columns.plan(), empty="the file has no switches")
    if args.dry_run:
        out.note("nothing was changed: this was a dry run", "dim")
    return Exit.OK


def run_ageing_time(context: Context) -> Exit:
    args, out = context.args, context.out
    if args.seconds is not None:
        return acting.carry_out(
            context,
            kind="set-ageing-time",
            switch=args.name,
            ageing_time_s=args.seconds,
            reason=args.reason,
        )
    with context.client() as client:
        found = client.send(ageing_advice(args.name, days=args.days))
    if out.format == "json":
        out.json(found)
        return Exit.OK
    use = "not known" if found.table_use is None else f"{found.table_use:.0%}"
    out.facts(
        [
            ("switch", found.switch),
            ("ageing time", "not reported" if found.ageing_s is None else f"{found.ageing_s} s"),
            ("advice", found.text),
            ("table in use", use),
            ("not learned for lack of room", found.learning_discards),
        ]
    )
    if found.advised_s is not None:
        out.note(f"`kiteroll switch ageing-time {found.switch} {found.advised_s}` sets it", "dim")
    return Exit.OK
