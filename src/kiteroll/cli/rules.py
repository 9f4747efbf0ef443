"""`kiteroll rule ...` and `kiteroll barred ...`: who may be on ports, and how many; who may be nowhere."""

from pathlib import Path
from typing import Any

from kiteroll.cli import columns, levels
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, add_limit, checked, note_cut, shared
from kiteroll.client import (
    apply_rules_file,
    bar,
    barred,
    change_rules,
    enrol,
    enrol_list,
    enrol_present,
    lift_bar,
    replace_entry,
    rule_log,
    rules,
    rules_file,
    strike_off,
)
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
        "set values of everything, a group, a switch, a range of ports or a port",
        parents=parents,
        detail="What is not given stays as it is; auto inherits: a port from the range, the switch,\n"
        "its groups and everything, the nearest first; of several groups the strictest counts.\n"
        "Uplinks are exempt unless --uplinks yes. Without a level it is set for everything.\n"
        "  kiteroll rule set --group access --seats 2\n"
        "  kiteroll rule set --switch quay-1 --ports p1-p20 --vlans 30 --on-breach serious\n"
        "  kiteroll rule set --switch quay-1 --port p18 --watched yes\n" + levels.SEATS_HELP,
    )
    levels.add_level(one)
    levels.add_values(one)
    levels.add_reason(one)
    levels.add_dry_run(one)
    _add_roll_commands(verbs, parents)
    _add_file_commands(verbs, parents)
    one = add_command(verbs, "log", run_log, "list who changed what, when and why", parents=parents)
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--port", metavar="PORT")
    one.add_argument("--address", metavar="ADDRESS", help="of this entry of a roll")
    add_limit(one, 100)

    verbs = add_group(commands, "barred", "list and set addresses that must appear nowhere", of="VERB")
    add_command(verbs, "list", run_barred, "list barred addresses and prefixes", parents=parents)
    one = add_command(
        verbs,
        "add",
        run_bar,
        "bar an address or a prefix: it is reported wherever it appears, at once",
        parents=parents,
    )
    one.add_argument("prefix", metavar="ADDRESS", help="6 to 12 hex digits, any notation")
    one.add_argument("--until", metavar="TIME", help="when the bar ends (2027-03-31T18:00:00Z)")
    levels.add_reason(one)
    one = add_command(verbs, "remove", run_lift, "lift a bar", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS")
    levels.add_reason(one)


def _add_roll_commands(verbs: Any, parents: Any) -> None:
    one = add_command(
        verbs,
        "enrol",
        run_enrol,
        "enrol an address or a prefix, a list of them, or everybody present",
        parents=parents,
        detail="  kiteroll rule enrol 02:1a:05 --group quays --vlan 30 --note lamps\n"
        "  kiteroll rule enrol --list devices.csv --dry-run\n"
        "  kiteroll rule enrol --present --switch quay-1\n"
        "A list is CSV with a heading: address, and maybe group, switch, ports, port, vlan, note,\n"
        "owner, expires. All of it is enrolled, or nothing; every wrong line is listed.",
    )
    one.add_argument("prefix", metavar="ADDRESS", nargs="?", help="6 to 12 hex digits, any notation")
    one.add_argument("--list", metavar="FILE", type=Path, help="a CSV list; - for standard input")
    one.add_argument("--present", action="store_true", help="everybody present now, each at their port")
    levels.add_level(one)
    one.add_argument("--vlan", type=int, help="only in this VLAN")
    one.add_argument("--note", default="", help="what it is")
    one.add_argument("--owner", default="", help="whose it is")
    one.add_argument("--until", metavar="TIME", help="when it expires (2027-03-31T18:00:00Z)")
    levels.add_reason(one)
    levels.add_dry_run(one)
    one = add_command(verbs, "remove", run_remove, "strike an entry off its roll", parents=parents)
    one.add_argument("number", type=int, help="as `kiteroll rule list` shows it")
    levels.add_reason(one)
    one = add_command(
        verbs,
        "replace",
        run_replace,
        "let another device stand in for an enrolled one",
        parents=parents,
        detail="`kiteroll roll-call SWITCH PORT` offers it where an enrolled device is absent and one of\n"
        "the same kind is there.",
    )
    one.add_argument("number", type=int, help="as `kiteroll rule list` shows it")
    one.add_argument("mac", metavar="ADDRESS")
    levels.add_reason(one)


def _add_file_commands(verbs: Any, parents: Any) -> None:
    one = add_command(
        verbs,
        "export",
        run_export,
        "write all rules as TOML; comments of a file that is there are kept",
        parents=parents,
    )
    one.add_argument("file", type=Path, nargs="?", help="default: standard output")
    one = add_command(
        verbs,
        "diff",
        run_diff,
        "show what a rules file would change",
        parents=parents,
        detail="Exits with 8 where it differs, 0 where it does not.",
    )
    one.add_argument("file", type=Path)
    one = add_command(
        verbs,
        "apply",
        run_apply,
        "make the rules what a TOML file says; what it does not hold is removed",
        parents=parents,
    )
    one.add_argument("file", type=Path)
    levels.add_reason(one)
    levels.add_dry_run(one)


def run_list(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        found = client.all(rules())
    out.rows(found, columns.rules(), empty="no rules yet: `kiteroll rule set` adds one")
    entries = [(rule, entry) for rule in found for entry in rule.roll]
    if entries and out.format == "table":
        out.line("")
        out.rows(entries, columns.roll_entries(out), empty="")
    return Exit.OK


def run_set(context: Context) -> Exit:
    change = levels.rule_change(context)
    patch = api.RulesPatch(changes=[change], dry_run=context.args.dry_run, **levels.reason(context))
    with context.client() as client:
        outcome = client.send(change_rules(patch))
    changed = ", ".join(f"{one.what} {one.after or 'inherited'}" for one in outcome.differences)
    return levels.print_outcome(context, outcome, f"{levels.level_text(change)}: {changed}")


def run_enrol(context: Context) -> Exit:
    args = context.args
    if sum((args.prefix is not None, args.list is not None, args.present)) != 1:
        raise Invalid("one of ADDRESS, --list FILE and --present is needed")
    at = levels.level(context)
    named = at.group or at.switch
    with context.client() as client:
        if args.list is not None:
            new = api.NewEntries(
                text=levels.text_of(args.list) or " ",
                level=at if named else None,
                dry_run=args.dry_run,
                **levels.reason(context),
            )
            outcome = client.send(enrol_list(new))
            return levels.print_outcome(context, outcome)
        if args.present:
            everybody = api.EnrolPresent(
                level=at, note=args.note, dry_run=args.dry_run, **levels.reason(context)
            )
            return levels.print_outcome(context, client.send(enrol_present(everybody)))
        if args.dry_run:
            raise Invalid("--dry-run goes with --list and --present")
        entry = checked(
            api.NewEntry,
            prefix=args.prefix,
            **at.model_dump(exclude_none=True),
            vlan=args.vlan,
            note=args.note,
            owner=args.owner,
            expires_at=args.until,
            **levels.reason(context),
        )
        outcome = client.send(enrol(entry))
    return levels.print_outcome(context, outcome, f"{args.prefix} is enrolled at {levels.level_text(at)}")


def run_remove(context: Context) -> Exit:
    number = context.args.number
    with context.client() as client:
        outcome = client.send(strike_off(number, **levels.reason(context)))
    return levels.print_outcome(context, outcome, f"entry {number} struck off its roll")


def run_replace(context: Context) -> Exit:
    args = context.args
    new = checked(api.EntryReplacement, mac=args.mac, **levels.reason(context))
    with context.client() as client:
        outcome = client.send(replace_entry(args.number, new))
    return levels.print_outcome(context, outcome, f"{new.mac} stands in for entry {args.number}")


def run_export(context: Context) -> Exit:
    from kiteroll.schemas.rules_file import parse_rules, rules_text

    file: Path | None = context.args.file
    with context.client() as client:
        text = client.send(rules_file()).text
    if file is None:
        context.out.line(text.rstrip("\n"))
        return Exit.OK
    older = levels.text_of(file) if file.exists() else ""
    new = file.with_name(f".{file.name}.new")
    try:
        new.write_text(rules_text(parse_rules(text), older) if older else text, encoding="utf-8")
        new.replace(file)
    except OSError as wrong:
        raise Invalid(f"{file} cannot be written: {wrong.strerror}") from wrong
    context.out.note(f"rules written to {file}")
    return Exit.OK


def run_diff(context: Context) -> Exit:
    out = context.out
    wanted = api.RulesFile(text=levels.text_of(context.args.file), dry_run=True)
    with context.client() as client:
        outcome = client.send(apply_rules_file(wanted))
    out.rows(outcome.differences, columns.rule_differences(), empty="the rules are what the file says")
    for text in outcome.cautions:
        out.note(text, "yellow")
    return Exit.DIFFERS if outcome.differences else Exit.OK


def run_apply(context: Context) -> Exit:
    args = context.args
    wanted = api.RulesFile(text=levels.text_of(args.file), dry_run=args.dry_run, **levels.reason(context))
    with context.client() as client:
        outcome = client.send(apply_rules_file(wanted))
    return levels.print_outcome(context, outcome)


def run_log(context: Context) -> Exit:
    args = context.args
    wanted = {"switch": args.switch, "port": args.port, "address": args.address}
    with context.client() as client:
        page = client.send(rule_log(**wanted, limit=min(args.limit, 1000)))
    context.out.rows(page.items, columns.rule_events(), empty="no rule was ever changed")
    note_cut(context, len(page.items))
    return Exit.OK


def run_barred(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(barred())
    context.out.rows(found, columns.barred(context.out), empty="nobody is barred")
    return Exit.OK


def run_bar(context: Context) -> Exit:
    args = context.args
    given = {"prefix": args.prefix, "expires_at": args.until}
    new = checked(api.NewBarred, **given, **levels.reason(context))
    with context.client() as client:
        outcome = client.send(bar(new))
    return levels.print_outcome(context, outcome, f"{args.prefix} is barred")


def run_lift(context: Context) -> Exit:
    prefix = context.args.prefix
    with context.client() as client:
        outcome = client.send(lift_bar(prefix, **levels.reason(context)))
    return levels.print_outcome(context, outcome, f"{prefix} is not barred any more")
