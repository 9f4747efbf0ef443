"""`kiteroll label ...`: what you say of addresses, also of those that no switch has learned yet."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.addresses import whole_address
from kiteroll.cli.context import Context
from kiteroll.cli.csv_rows import csv_rows
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import change_labels, labels, remove_label
from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.model.chunks import chunks
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api

_COLUMNS = ("label", "owner", "notes")
_AT_ONCE = 1_000
"""Labels sent as one: a request has a megabyte at most."""


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "label", "set labels of addresses, also before they are seen", of="VERB")
    one = add_command(verbs, "list", run_list, "list labels of addresses", parents=parents)
    one.add_argument("--never-seen", action="store_true", help="only addresses that no switch has learned")
    one = add_command(
        verbs,
        "set",
        run_set,
        "set label, owner or notes of an address; what is not given stays",
        parents=parents,
        detail='  kiteroll label set 02:1a:0b:52:4e:07 --label "Spare gate reader" --owner "Ticketing"',
    )
    one.add_argument("mac", metavar="ADDRESS")
    for name in _COLUMNS:
        one.add_argument(f"--{name}", metavar="TEXT")
    one = add_command(
        verbs,
        "import",
        run_import,
        "set those of a CSV file with columns mac, label, owner, notes",
        parents=parents,
        detail="Columns that are not there stay as they are. Commas, semicolons or tabs part columns.\n"
        f"Nothing is set unless all of it is right; then {_AT_ONCE:,} are set at a time.",
    )
    one.add_argument("file", type=Path)
    one.add_argument("--dry-run", action="store_true", help="only say what would differ")
    one = add_command(verbs, "remove", run_remove, "say nothing of an address any more", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")


def run_list(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(labels(seen=False if context.args.never_seen else None))
    context.out.rows(found, columns.labels(), empty="no address has a label")
    return Exit.OK


def run_set(context: Context) -> Exit:
    args = context.args
    change = checked(api.LabelChange, label=args.label, owner=args.owner, notes=args.notes)
    with context.client() as client:
        mac = whole_address(context, client, args.mac)
        done = client.send(change_labels(checked(api.LabelChanges, labels={mac: change})))
    return _print_differences(context, done)


def run_import(context: Context) -> Exit:
    file = context.args.file
    heading, rows = csv_rows(file)
    if "mac" not in heading or not set(heading) <= {"mac", "seen", *_COLUMNS}:
        raise Invalid(f"{file}, line 1: columns are mac, {', '.join(_COLUMNS)}; mac is needed")
    changes, wrong = {}, []
    for line, row in rows:
        try:
            mac = str(MacAddress.parse(row["mac"] or ""))
            given = {name: row[name] or "" for name in _COLUMNS if name in row}
            changes[mac] = checked(api.LabelChange, **given)
        except Invalid as bad:
            wrong.append((f"line {line}", str(bad)))
    if wrong:
        raise InvalidParts(str(file), wrong)
    if not changes:
        raise Invalid(f"{file}: it has no rows")
    parts = [dict(part) for part in chunks(changes.items(), _AT_ONCE)]
    dry_run = context.args.dry_run
    with context.client() as client:

        def send(part: Mapping[str, api.LabelChange], *, dry_run: bool) -> api.LabelsOutcome:
            return client.send(change_labels(checked(api.LabelChanges, labels=part, dry_run=dry_run)))

        if len(parts) > 1 and not dry_run:
            for part in parts:  # what is wrong with any of them is known before one is set
                send(part, dry_run=True)
        done = [send(part, dry_run=dry_run) for part in parts]
    differences = [difference for one in done for difference in one.differences]
    return _print_differences(
        context, api.LabelsOutcome(applied=any(one.applied for one in done), differences=differences)
    )


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_label(context.args.mac))
    context.out.note(f"{context.args.mac} has no label any more")
    return Exit.OK


def _print_differences(context: Context, done: api.LabelsOutcome) -> Exit:
    context.out.rows(done.differences, columns.label_differences(), empty="they have these labels already")
    if done.differences and not done.applied:
        context.out.note("a dry run: nothing was changed", "dim")
    return Exit.OK
