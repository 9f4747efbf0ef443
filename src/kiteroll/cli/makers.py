"""`kiteroll maker ...`: your own address prefixes and their makers."""

from pathlib import Path
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.csv_rows import csv_rows
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.file_problems import refused
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import add_makers, makers, remove_maker
from kiteroll.core.errors import Invalid
from kiteroll.core.model.makers import parse_prefix
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "maker", "list your own prefixes and their makers", of="VERB")
    add_command(verbs, "list", run_list, "list your own prefixes", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set,
        "add or replace a prefix",
        parents=parents,
        detail="A prefix is 6 to 11 hex digits. It wins over the registry; a longer one over a shorter.",
    )
    one.add_argument("prefix")
    one.add_argument("maker")
    one = add_command(
        verbs,
        "import",
        run_import,
        "add prefixes from a CSV file with columns prefix, maker",
        parents=parents,
    )
    one.add_argument("file", type=Path)
    add_command(verbs, "remove", run_remove, "remove a prefix", parents=parents).add_argument("prefix")


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(makers())
    context.out.rows(answer, columns.makers(), empty="no prefixes of your own; the registry's are used")
    return Exit.OK


def run_set(context: Context) -> Exit:
    args = context.args
    new = checked(api.NewMakers, makers={parse_prefix(args.prefix): args.maker})
    with context.client() as client:
        client.send(add_makers(new.makers))
    context.out.note(f"addresses with prefix {args.prefix} are of {args.maker}")
    return Exit.OK


def run_import(context: Context) -> Exit:
    found = _read(context.args.file)
    with context.client() as client:
        client.send(add_makers(found))
    context.out.note(f"{len(found)} prefixes imported")
    return Exit.OK


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_maker(context.args.prefix))
    context.out.note(f"{context.args.prefix} is removed")
    return Exit.OK


def _read(file: Path) -> dict[str, str]:
    """Raises Invalid naming file and line of everything that is wrong."""
    heading, rows = csv_rows(file)
    if heading != ["prefix", "maker"]:
        raise Invalid(f"{file}, line 1: the columns are prefix and maker, in this order")
    found: dict[str, str] = {}
    problems: list[tuple[str, str]] = []
    for line, row in rows:
        try:
            maker = (row["maker"] or "").strip()
            if not maker:
                raise Invalid("maker: it is empty")
            found[parse_prefix(row["prefix"] or "")] = maker
        except Invalid as wrong:
            problems.append((f"line {line}", str(wrong)))
    if problems:
        raise refused(file, "nothing was imported", problems)
    return found
